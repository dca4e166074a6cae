/**
 * A table of phrases, looked for in a text. A phrase is words in small letters, with:
 *
 * - `*` between two words: up to 60 characters of anything;
 * - `{a|b}`: either, also `{|b}` for nothing or b;
 * - `^` at its start: at the beginning of the text only;
 * - `!word` at its end: not right behind that word; several may stand there.
 *
 * The text is gone through once; at each place only phrases are tried that begin with its two characters, and no phrase is tried twice there.
 * Nothing can back-track: time grows with the text and with the phrases that begin alike.
 */
export type Matcher = (text: string) => string | undefined;

interface Compiled {
  /** As it is written in the table. */
  readonly phrase: string;
  readonly first: string;
  readonly rest: readonly string[];
  readonly isAtStart: boolean;
  readonly notBehind: readonly string[];
}

/** Characters between two words of a phrase with "*". */
const GAP = 60;
/** Alternatives of one phrase, at most: a table of a person's has fewer. */
const MOST = 500;

/** All that a phrase with alternatives stands for. @throws Error where there are too many */
function expanded(phrase: string): string[] {
  let out = [''];
  for (const piece of phrase.split(/(\{[^{}]*\})/)) {
    const choices = piece.startsWith('{') ? piece.slice(1, -1).split('|') : [piece];
    out = out.flatMap((before) => choices.map((choice) => before + choice));
    if (out.length > MOST) throw new Error(`The phrase "${phrase.slice(0, 60)}" stands for more than ${MOST} phrases.`);
  }
  return out.map((text) => text.replace(/ {2,}/g, ' '));
}

function compiled(phrase: string): Compiled[] {
  return expanded(phrase).map((text) => {
    const [words = '', ...notBehind] = text.split(' !');
    const isAtStart = words.startsWith('^');
    // A star stands for the spaces around it, too.
    const [first = '', ...rest] = (isAtStart ? words.slice(1) : words).split(/ ?\* ?/);
    return { phrase, first, rest, isAtStart, notBehind: notBehind.map((word) => `${word} `) };
  });
}

/** Looks for any of the phrases in a text that {@link plainWords} has made. @returns the first that it holds */
export function matcher(phrases: readonly string[]): Matcher {
  const byStart = new Map<string, Compiled[]>();
  for (const entry of phrases.flatMap(compiled)) {
    const key = entry.first.slice(0, 2);
    byStart.set(key, [...(byStart.get(key) ?? []), entry]);
  }
  return (text) => {
    for (let at = 0; at < text.length - 1; at += 1) {
      const candidates = byStart.get(text.slice(at, at + 2));
      if (candidates === undefined) continue;
      for (const entry of candidates) if (fits(text, at, entry)) return entry.phrase;
    }
    return undefined;
  };
}

function fits(text: string, at: number, { first, rest, isAtStart, notBehind }: Compiled): boolean {
  if (isAtStart && at > 1) return false;
  if (!text.startsWith(first, at)) return false;
  const before = at + (first.startsWith(' ') ? 1 : 0);
  if (notBehind.some((word) => text.endsWith(word, before) || text.slice(Math.max(0, before - word.length), before) === word)) return false;
  let from = at + first.length;
  return rest.every((part) => {
    const next = text.slice(from, from + GAP + part.length).indexOf(part);
    if (next === -1) return false;
    from += next + part.length;
    return true;
  });
}

/** Characters of a text that are looked at. */
const LONGEST = 8192;

/**
 * A text as phrases are written: small letters, plain quotes, single spaces, a space at either end; without addresses, web addresses and codes,
 * which only part the words. @param most characters of it that are looked at
 */
export function plainWords(text: string, most = LONGEST): string {
  return ` ${text
    .slice(0, most)
    .toLowerCase()
    .replace(/[\u2018\u2019\u00B4`]/g, "'")
    .replace(/\bhttps?:\/\/[^\s<>]{1,500}/g, ' ')
    .replace(/<[^<>\s]{0,320}@[^<>\s]{0,320}>/g, ' ')
    .replace(/[^\s<>"'(),;:[\]]{1,320}@[^\s<>"'(),;:[\]]{1,320}/g, ' ')
    .replace(/(?<![\d.])[245]\d\d[- ]?[245]\.[0-7]\.\d{1,3}(?![\d.])/g, ' ')
    .replace(/[<>"()[\]{}|_=]/g, ' ')
    .replace(/[;:,.!?](?=\s|$)/g, ' $& ')
    .replace(/[.!?,;。！？、，«»“”„]/g, ' ')
    .replace(/ :/g, ':')
    .replace(/\s+/g, ' ')} `;
}
