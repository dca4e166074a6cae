import { beginsIntroduction, isDivider, isSentFrom, labelsOf, saysWrote } from './words.js';

/** What a line of an answer is. */
export type Role = 'new' | 'quoted' | 'signature';

export interface Line {
  readonly text: string;
  /** It stands behind ">", or within what a mail reader marks as a quote; "maybe": within a blockquote that may be the author's own. */
  readonly quote?: 'sure' | 'maybe' | undefined;
  /** The mail reader marks it as the signature. */
  readonly isSignature?: boolean;
  /** From here on all is what is answered, as the mail reader marks it. */
  readonly isEnd?: boolean;
}

/** Lines that a line which introduces a quote is broken into, at most, and its length in characters. */
const [MOST_BROKEN, LONGEST] = [5, 500];
/** Lines of a signature behind "--" without the space that belongs there; of what a list adds. */
const [MOST_SIGNATURE, MOST_FOOTER] = [12, 6];

const isBlank = (line: Line): boolean => line.text.trim() === '';
const TIME = /(?<!\d)\d{1,2}[:.h]\d{2}(?!\d)|\d{1,2}\s?時|(?:오전|오후)\s?\d/;
const YEAR = /(?<!\d)(?:19|20)\d{2}(?!\d)/;

/** Whether a text introduces a quote; "sure" where it can be nothing else, whatever follows. */
function introduces(text: string): 'sure' | 'likely' | undefined {
  if (text.length > LONGEST || !/[:：]$/.test(text)) return undefined;
  const hasAddress = /[^\s<>@]@[^\s<>@]/.test(text);
  const hasTime = TIME.test(text);
  const hasYear = YEAR.test(text);
  if (hasAddress && (hasTime || hasYear)) return 'sure';
  if (!saysWrote(text)) return undefined;
  const starts = beginsIntroduction(text);
  if (starts && hasTime && hasYear) return 'sure';
  return hasAddress || hasTime || hasYear || starts || text.length < 80 ? 'likely' : undefined;
}

interface Introduction {
  /** Index of its last line. */
  readonly end: number;
  readonly isSure: boolean;
}

/** The introduction of a quote that begins at a line; it may be broken into several. */
function introductionAt(lines: readonly Line[], at: number): Introduction | undefined {
  const first = lines[at]?.text ?? '';
  // What is broken begins as such, or with who it was.
  const most = /[<@]/.test(first) || beginsIntroduction(first) ? MOST_BROKEN : 1;
  let text = '';
  for (let end = at; end < Math.min(lines.length, at + most); end += 1) {
    const line = lines[end];
    if (line === undefined || isBlank(line) || line.quote === 'sure') return undefined;
    const piece = line.text.trim();
    text = `${text} ${piece}`.trim();
    if (text.length > LONGEST) return undefined;
    const kind = introduces(text);
    if (kind !== undefined) return isBegunLater(lines, at, end) ? undefined : { end, isSure: kind === 'sure' };
    // A sentence that ends here does not count.
    if (/[.!?]$/.test(piece) && !/(?<!\p{L})\p{L}{1,4}\.$/u.test(piece)) return undefined;
  }
  return undefined;
}

/** Of two lines that may begin an introduction the later one does: what stands above is the author's. */
function isBegunLater(lines: readonly Line[], at: number, end: number): boolean {
  for (let later = at + 1; later <= end; later += 1) {
    const { text } = lines[later] as Line;
    if (/^\s*[<"']/.test(text) || !beginsIntroduction(text)) continue;
    const rest = lines.slice(later, end + 1).map((line) => line.text.trim());
    if (introduces(rest.join(' ')) !== undefined) return true;
  }
  return false;
}

/** The last line of a header in the text that begins at a line: who wrote it, and at least two fields more. */
function headerAt(lines: readonly Line[], at: number): number | undefined {
  const first = labelsOf(lines[at]?.text ?? '');
  if (first === undefined) return undefined;
  const seen = new Set(first);
  let count = 1;
  let end = at;
  for (let next = at + 1; next < lines.length && next - at < 12; next += 1) {
    const line = lines[next];
    if (line === undefined || isBlank(line)) break;
    const labels = labelsOf(line.text);
    // A long field is broken into two lines.
    if (labels === undefined && next - end > 1) break;
    if (labels === undefined) continue;
    for (const label of labels) seen.add(label);
    count += 1;
    end = next;
  }
  return count >= 3 && seen.has('from') && seen.has('subject') ? end : undefined;
}

/** For each line: the next one from it on that is not empty. */
function filledFrom(lines: readonly Line[]): number[] {
  const out: number[] = Array.from({ length: lines.length + 1 }, () => lines.length);
  for (let at = lines.length - 1; at >= 0; at -= 1) out[at] = isBlank(lines[at] as Line) ? (out[at + 1] ?? lines.length) : at;
  return out;
}

/** A blockquote that an introduction stands above is what is answered; another one is the author's own. */
function sure(lines: readonly Line[], filled: readonly number[]): Line[] {
  const out = [...lines];
  let isCited = false;
  for (let at = 0; at < out.length; at += 1) {
    const line = out[at] as Line;
    if (line.quote === 'maybe') {
      if (isCited) out[at] = { ...line, quote: 'sure' };
      continue;
    }
    if (isBlank(line)) continue;
    isCited = false;
    const found = introductionAt(out, at);
    if (found !== undefined && out[filled[found.end + 1] ?? out.length]?.quote === 'maybe') {
      isCited = true;
      at = found.end;
    }
  }
  return out;
}

/** What each line of an answer is: of the author, of what is answered, of the signature. */
export function rolesOf(given: readonly Line[]): Role[] {
  const filled = filledFrom(given);
  const lines = sure(given, filled);
  const roles: Role[] = lines.map(({ quote }) => (quote === 'sure' ? 'quoted' : 'new'));
  const mark = (from: number, to: number): void => {
    for (let i = from; i <= to; i += 1) roles[i] = 'quoted';
  };
  for (let at = 0; at < lines.length; at += 1) {
    const line = lines[at] as Line;
    if (line.isEnd === true) {
      mark(at, lines.length - 1);
      break;
    }
    if (isBlank(line) || line.quote === 'sure') continue;
    const end = citedAt(lines, at, filled);
    if (end === undefined) continue;
    const follows = lines[filled[end.last + 1] ?? lines.length]?.quote === 'sure';
    if (!follows && !end.isSure) continue;
    // What is answered goes on to the end, unless it is marked.
    mark(at, follows ? end.last : lines.length - 1);
    if (!follows) break;
    at = end.last;
  }
  markSignatures(lines, roles);
  return roles;
}

/** Where the lines end that stand above what is answered, and whether they can be nothing else. */
function citedAt(
  lines: readonly Line[],
  at: number,
  filled: readonly number[],
): { readonly last: number; readonly isSure: boolean } | undefined {
  const text = lines[at]?.text.trim() ?? '';
  const next = filled[at + 1] ?? lines.length;
  const isRule = /^[-_=]{5,}$/.test(text);
  if (isDivider(text)) return { last: headerAt(lines, next) ?? at, isSure: true };
  if (isRule) {
    const end = headerAt(lines, next);
    return end === undefined ? undefined : { last: end, isSure: true };
  }
  const header = headerAt(lines, at);
  if (header !== undefined) return { last: header, isSure: true };
  const found = introductionAt(lines, at);
  return found === undefined ? undefined : { last: found.end, isSure: found.isSure };
}

/** Signatures end what the author has written, above what is answered or at the end. */
function markSignatures(lines: readonly Line[], roles: Role[]): void {
  for (let start = 0; start < lines.length;) {
    if (roles[start] !== 'new') {
      start += 1;
      continue;
    }
    let stop = start;
    while (stop < lines.length && roles[stop] === 'new') stop += 1;
    const from = signatureIn(lines, start, stop);
    for (let i = from; i < stop; i += 1) roles[i] = 'signature';
    for (let i = start; i < from; i += 1) if (lines[i]?.isSignature === true) roles[i] = 'signature';
    start = stop;
  }
}

/** Where the signature begins in lines of the author, `stop` for none. */
function signatureIn(lines: readonly Line[], start: number, stop: number): number {
  let from = stop;
  // From the end: what stands below a mark is counted once.
  for (let at = stop - 1, filled = 0; at >= start; at -= 1) {
    const line = lines[at] as Line;
    if (filled > 0 && beginsSignature(line.text, { filled, isLast: stop === lines.length, isFirst: at === start })) from = at;
    if (!isBlank(line)) filled += 1;
  }
  if (from < stop) return from;
  let last = stop - 1;
  while (last > start && isBlank(lines[last] as Line)) last -= 1;
  return isSentFrom(lines[last]?.text ?? '') ? last : stop;
}

function beginsSignature(
  text: string,
  { filled, isLast, isFirst }: { readonly filled: number; readonly isLast: boolean; readonly isFirst: boolean },
): boolean {
  if (text === '-- ' || text === '\u2014 ') return true;
  if (/^(?:--|\u2014)\s*$/.test(text)) return filled <= MOST_SIGNATURE;
  // What a list adds at the end of all.
  return isLast && !isFirst && filled <= MOST_FOOTER && /^_{20,}$/.test(text.trim());
}
