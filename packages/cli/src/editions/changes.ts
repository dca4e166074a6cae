import type { Output } from '../output.js';

const MARKS = { added: '+', changed: '~', removed: '-' } as const;
type Change = { readonly path: string; readonly change: keyof typeof MARKS };

/** What differs between two editions, a line each. */
export function changesText(changes: readonly Change[], { color }: Output): string {
  const paint = { added: color.green, changed: color.yellow, removed: color.red };
  return changes.map((change) => paint[change.change](`${MARKS[change.change]} ${change.path}`)).join('\n');
}
