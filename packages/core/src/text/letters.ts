/** Widths of the letters of a plain sans-serif font at weight bold, in thousandths of the letter size, from the space on (U+0020 to U+007E). */
const BOLD = (
  '278 333 474 556 556 889 722 238 333 333 389 584 278 333 278 278 556 556 556 556 556 556 556 556 556 556 333 333 584 584 584 611 ' +
  '975 722 722 722 722 667 611 778 722 278 556 722 611 833 722 778 667 778 722 667 611 722 667 944 667 667 611 333 278 333 584 556 ' +
  '333 556 611 556 611 556 333 611 611 278 278 556 278 889 611 611 611 611 389 556 333 611 556 778 556 556 500 389 280 389 584'
)
  .split(' ')
  .map(Number);
const WIDE = /[\u1100-\u115F\u2E80-\uA4CF\uAC00-\uD7A3\uF900-\uFAFF\uFE30-\uFE6F\uFF00-\uFF60\uFFE0-\uFFE6\u{1F300}-\u{1FAFF}]/u;
const OTHER = 640;

/** About how wide a text is in bold letters, in CSS pixels: for engines that make a box only with a width. */
export function boldWidth(text: string, size: number): number {
  let sum = 0;
  for (const letter of text.normalize('NFC')) {
    if (/\p{M}|\u200B|\u200C|\u200D/u.test(letter)) continue;
    sum += BOLD[(letter.codePointAt(0) ?? 0) - 32] ?? (WIDE.test(letter) ? 1000 : OTHER);
  }
  return (sum * size) / 1000;
}
