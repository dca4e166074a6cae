/**
 * A table of phrases, looked for in a text. A phrase is words in small letters, with:
 *
 * - `*` between two words: up to 60 characters of anything;
 * - `{a|b}`: either, also `{|b}` for nothing or b;
 * - `^` at its start: at the beginning of the text only;
 * - `!word` at its end: not directly after that word; several are possible.
 *
 * The text is gone through once; at each place only phrases are tried that begin with its first two or four characters, and no phrase is tried twice there.
 * Nothing can back-track: time grows with the text and with the phrases that begin alike.
 */
export type Scanner<Owner> = (text: string) => ReadonlyMap<Owner, string>;

interface Compiled<Owner> {
  /** What it means. */
  readonly owner: Owner;
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

function compiled<Owner>(phrase: string, owner: Owner): Compiled<Owner>[] {
  return expanded(phrase).map((text) => {
    const [words = '', ...notBehind] = text.split(' !');
    const isAtStart = words.startsWith('^');
    // A star stands for the spaces around it, too.
    const [first = '', ...rest] = (isAtStart ? words.slice(1) : words).split(/ ?\* ?/);
    return { owner, phrase, first, rest, isAtStart, notBehind: notBehind.map((word) => `${word} `) };
  });
}

/** Signs of a text are 16 bits each. */
const SIGNS = 65_536;

/**
 * Looks for the phrases of several meanings in a text that {@link plainWords} has made, all at once.
 * @returns for each meaning that was found, the first phrase of it
 */
export function scanner<Owner>(entries: readonly (readonly [owner: Owner, phrases: readonly string[]])[]): Scanner<Owner> {
  const byStart = new Map<number, Node<Owner>>();
  const isStart = new Uint8Array(SIGNS);
  for (const entry of entries.flatMap(([owner, phrases]) => phrases.flatMap((phrase) => compiled(phrase, owner)))) {
    const { first } = entry;
    isStart[first.charCodeAt(0)] = 1;
    const key = pairAt(first, 0);
    const node = byStart.get(key) ?? { short: [], long: new Map<number, Compiled<Owner>[]>() };
    byStart.set(key, node);
    if (first.length < 4) node.short.push(entry);
    else node.long.set(pairAt(first, 2), [...(node.long.get(pairAt(first, 2)) ?? []), entry]);
  }
  return (text) => {
    const found = new Map<Owner, string>();
    const tried = (at: number, candidates: readonly Compiled<Owner>[]): void => {
      for (const entry of candidates) if (!found.has(entry.owner) && fits(text, at, entry)) found.set(entry.owner, entry.phrase);
    };
    for (let at = 0; at < text.length - 1; at += 1) {
      if (isStart[text.charCodeAt(at)] === 0) continue;
      const node = byStart.get(pairAt(text, at));
      if (node === undefined) continue;
      if (node.short.length > 0) tried(at, node.short);
      const long = node.long.get(pairAt(text, at + 2));
      if (long !== undefined) tried(at, long);
    }
    return found;
  };
}

/** Phrases that begin with the same two characters; those with four by the next two. */
interface Node<Owner> {
  readonly short: Compiled<Owner>[];
  readonly long: Map<number, Compiled<Owner>[]>;
}

/** Two characters as a number. */
const pairAt = (text: string, at: number): number => text.charCodeAt(at) * SIGNS + text.charCodeAt(at + 1);

function fits<Owner>(text: string, at: number, { first, rest, isAtStart, notBehind }: Compiled<Owner>): boolean {
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
  let plain = text
    .slice(0, most)
    .toLowerCase()
    .replace(/[\u2018\u2019\u00B4`]/g, "'");
  if (plain.includes('://')) plain = plain.replace(/\bhttps?:\/\/[^\s<>]{1,500}/g, ' ');
  if (plain.includes('@'))
    plain = plain
      .replace(/<[^<>\s]{0,320}@[^<>\s]{0,320}>/g, ' ')
      // Of ASCII only: where words have no spaces between them, they would go with it.
      .replace(/[A-Za-z0-9._%+=/~!#$&^`?-]{1,64}@[A-Za-z0-9.-]{1,255}/g, ' ');
  const words = plain
    .replace(/(?<![\d.])[245]\d\d[- ]?[245]\.[0-7]\.\d{1,3}(?![\d.])/g, ' ')
    .replace(/[<>"()[\]{}|_=]/g, ' ')
    .replace(/[;:,.!?](?=\s|$)/g, ' $& ')
    .replace(/[.!?,;。！？、，（）「」：«»“”„]/g, ' ')
    .replace(/ :/g, ':')
    .replace(/\s+/g, ' ');
  return ` ${words} `;
}
