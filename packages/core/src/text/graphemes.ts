/** The most that the segmenter gets in one call: its time grows with the square of what it is given. */
const MOST = 256;
/** What belongs to what stands before it: a text is not cut there. */
const JOINED = /^[\p{M}\p{Emoji_Modifier}\p{Regional_Indicator}\u200D\uDC00-\uDFFF]/u;
const segmenter = new Intl.Segmenter(undefined, { granularity: 'grapheme' });

/** Cuts a long text into pieces where nothing belongs together; what never ends is cut all the same. */
export function* cut(text: string): Generator<string> {
  let from = 0;
  while (text.length - from > MOST) {
    let to = from + MOST;
    while (to > from + MOST / 2 && (JOINED.test(text.slice(to, to + 2)) || text[to - 1] === '\u200D' || isLow(text, to))) to -= 1;
    yield text.slice(from, to);
    from = to;
  }
  yield text.slice(from);
}

/** Whether a text would be cut within one character. */
function isLow(text: string, at: number): boolean {
  const code = text.charCodeAt(at);
  return code >= 0xdc_00 && code <= 0xdf_ff;
}

/** The letters of a text as people count them (UAX #29), in time proportional to its length. */
export function* graphemes(text: string): Generator<string> {
  for (const piece of cut(text)) for (const { segment } of segmenter.segment(piece)) yield segment;
}
