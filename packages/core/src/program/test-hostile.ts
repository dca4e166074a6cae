/** YAML whose aliases repeat each other: a few lines that would become a hundred million entries. */
export const ALIAS_BOMB = [
  'a: &a [x,x,x,x,x,x,x,x,x]',
  ...'bcdefghi'.split('').map((text, i) => {
    const before = `*${'abcdefgh'[i] ?? 'a'}`;
    return `${text}: &${text} [${Array(9).fill(before).join(',')}]`;
  }),
].join('\n');

/** Blocks of the folder's own of which each uses the one before twice: the output of the last one doubles with each step. */
export function doublingBlocks(steps: number): Record<string, string> {
  return Object.fromEntries(Array.from({ length: steps }, (_, i) => [`blocks/b${i}.md`, i === 0 ? 'word' : `::b${i - 1}\n\n::b${i - 1}`]));
}
