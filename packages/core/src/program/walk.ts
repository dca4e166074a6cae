import type { BlockUse, Expression, Flow, Inline } from '../notation/index.js';

interface ByKind {
  readonly block: BlockUse;
  readonly say: Extract<Expression, { kind: 'say' }>;
  readonly text: Extract<Inline, { kind: 'text' }>;
  readonly literal: Extract<Expression, { kind: 'literal' }>;
  readonly insert: Extract<Inline, { kind: 'insert' }>;
  readonly list: Extract<Flow, { kind: 'list' }>;
}

/** Every node of a kind in a tree of any kind, wherever it stands. */
export function nodesOf<K extends keyof ByKind>(tree: unknown, kind: K): ByKind[K][] {
  const out: ByKind[K][] = [];
  collect(tree, kind, out);
  return out;
}

function collect(tree: unknown, kind: string, out: unknown[]): void {
  if (typeof tree !== 'object' || tree === null) return;
  if (Array.isArray(tree)) {
    for (const one of tree as unknown[]) if (typeof one === 'object') collect(one, kind, out);
    return;
  }
  if ((tree as { kind?: unknown }).kind === kind) out.push(tree);
  for (const key in tree) {
    // Places hold nothing, and there are more of them than of anything else.
    if (key === 'place' || key === 'namePlace') continue;
    const inner = (tree as Record<string, unknown>)[key];
    if (typeof inner === 'object') collect(inner, kind, out);
  }
}
