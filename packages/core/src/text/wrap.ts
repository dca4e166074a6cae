import { displayWidth, isPlain, lettersOf } from './width.js';

/** The width of the text part, in columns (4-template-notation, What the compiled text must be). */
export const COLUMNS = 72;

const WIDE =
  /[\u1100-\u115F\u2E80-\u303E\u3041-\u33FF\u3400-\u4DBF\u4E00-\u9FFF\uA000-\uA4CF\uAC00-\uD7A3\uF900-\uFAFF\uFE30-\uFE4F\uFF00-\uFF60\uFFE0-\uFFE6]/u;
// Characters that may not begin a line in Japanese and Chinese setting, and those that may not end one (after UAX #14, classes CL and OP).
const NOT_FIRST = '、。，．・：；？！゛゜ヽヾゝゞ々ー’”）〕］｝〉》」』】°′″℃ぁぃぅぇぉっゃゅょゎァィゥェォッャュョヮヵヶ';
const NOT_LAST = '‘“（〔［｛〈《「『【';

/** Cuts a text where a line may end. Spaces stay at the end of the piece before them. */
function pieces(text: string): string[] {
  const out: string[] = [];
  for (const [word] of text.matchAll(/[^ \t]+[ \t]*|[ \t]+/g)) {
    if (!WIDE.test(word)) {
      out.push(word);
      continue;
    }
    let piece = '';
    for (const segment of lettersOf(word)) {
      const before = piece.at(-1) ?? '';
      const breaks =
        piece !== '' &&
        (WIDE.test(segment) || WIDE.test(before)) &&
        !NOT_FIRST.includes(segment) &&
        !NOT_LAST.includes(before) &&
        segment !== ' ';
      if (breaks) {
        out.push(piece);
        piece = '';
      }
      piece += segment;
    }
    if (piece !== '') out.push(piece);
  }
  return out;
}

/** The same for a text whose letters take one column each: it is measured by counting. */
function wrapPlain(text: string, width: number, soft: string, out: string[]): void {
  let from = 0;
  while (text.length - from > width) {
    // The last space that ends a line of this width; without one, the first after it.
    let at = text.lastIndexOf(' ', from + width);
    if (at <= from) at = text.indexOf(' ', from + width);
    if (at === -1) break;
    out.push(text.slice(from, at).trimEnd() + soft);
    from = at + 1;
    while (text.charCodeAt(from) === 32) from += 1;
  }
  out.push(text.slice(from));
}

/**
 * Sets running text in lines of at most `width` columns. A word that is longer (an address) stays whole on a line of its own.
 * A line feed in the text is a hard break.
 * @param soft stands at the end of each line that was broken at a space
 */
export function wrap(text: string, width: number, soft = ''): string[] {
  const out: string[] = [];
  for (const one of text.split('\n')) {
    const paragraph = one.trim();
    if (isPlain(paragraph)) {
      wrapPlain(paragraph, width, soft, out);
      continue;
    }
    let line = '';
    let used = 0;
    for (const piece of pieces(paragraph)) {
      const bare = displayWidth(piece.trimEnd());
      if (line !== '' && used + bare > width) {
        out.push(line.trimEnd() + (line.endsWith(' ') ? soft : ''));
        line = '';
        used = 0;
      }
      line += piece;
      used += displayWidth(piece);
    }
    out.push(line.trimEnd());
  }
  return out;
}
