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
export function* nodesOf<K extends keyof ByKind>(tree: unknown, kind: K): Generator<ByKind[K]> {
  if (Array.isArray(tree)) {
    for (const one of tree) yield* nodesOf(one, kind);
    return;
  }
  if (typeof tree !== 'object' || tree === null) return;
  if ((tree as { kind?: unknown }).kind === kind) yield tree as ByKind[K];
  for (const inner of Object.values(tree)) yield* nodesOf(inner, kind);
}
