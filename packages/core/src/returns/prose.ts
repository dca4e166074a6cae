import { EN, plainWords, type PhraseBook } from '../phrases/index.js';
import { wordsOf, type ProseOutcome } from './outcome.js';
import { readQuoted, type Quoted } from './quoted.js';

/** What the prose of a report says of one address. */
export interface Mention {
  readonly address: string;
  /** The address that was written to, where the one that failed stands behind it. */
  readonly alias: string | undefined;
  readonly outcome: ProseOutcome | undefined;
  /** The lines that belong to it, one per line. */
  readonly reason: string;
}

export interface Prose {
  readonly mentions: readonly Mention[];
  /** The outcome that it tells of as a whole. */
  readonly outcome: ProseOutcome | undefined;
  /** Whether it says that no more attempts are made. */
  readonly givenUp: boolean;
  /** Whether it says that the time for trying was up. */
  readonly ranOut: boolean;
  /** What a server is quoted to have answered, where it belongs to no single address. */
  readonly transcript: Quoted | undefined;
  /** What comes after the prose: the original, if it stands inline. */
  readonly rest: string;
}

const MOST_CHARS = 200_000;
const MOST_LINES = 1500;
const LONGEST_LINE = 2000;
const REASON_LINES = 14;

/** What may stand before the name of the email that comes back: "Below is a copy of your original message". */
const INTRODUCING =
  /^(?:this is|the following is|below is|here is|attached is|following is|copy of|body of|headers? of|text of|start of|begin of|first \d+ lines of|a|the|your|-+|=+|_+|\*+)\s+/;
/** The email that comes back, as English reports name it; not a sentence about it. */
const RETURNED =
  /^(?:original|returned|unsent|undelivered|undeliverable|rejected|bounced) (?:e-?mail |mail )?(?:message|mail|headers?)(?!\s+(?:was|were|has|have|had|could|can|is|are|sent|to|from|you|with|returned|delivery|subject)\b)/;
const [LONGEST_CUT, LONGEST_NAME] = [120, 60];

/** Whether a report ends here, and the mail that it returns begins. */
function isCut(line: string, { says }: PhraseBook): boolean {
  if (line.includes('@') || line.length > LONGEST_CUT) return false;
  const bare = line
    .replace(/^[\s>*=_-]{0,40}/, '')
    .trim()
    .toLowerCase();
  let rest = bare;
  for (let i = 0; i < 8 && INTRODUCING.test(rest); i += 1) rest = rest.replace(INTRODUCING, '');
  if (RETURNED.test(rest)) return true;
  if (
    /^(?:this is a copy of|below is a copy of|a copy of your|the (?:headers?|body|text|start) of (?:the|your)|message headers? follow|the message that (?:you sent|could not))/.test(
      bare,
    )
  )
    return true;
  // Between dashes, or as the line is: what other languages call it.
  if (bare.length > LONGEST_NAME) return false;
  const plain = plainWords(bare);
  const phrase = says(plain).get('original');
  if (phrase === undefined) return false;
  const isRuled = /^[\s>*]{0,20}(?:-{2,}|_{2,}|={2,})/.test(line);
  return isRuled || (!/[.!?]$/.test(bare) && !ENGLISH.has(phrase) && plain.indexOf(phrase.split(/[*{]/)[0] ?? '') <= 2);
}

/** English names are recognised by their grammar above: as phrases they occur in any sentence. */
const ENGLISH = new Set(EN.original);

const ADDRESS = String.raw`("[^"\s]{1,64}"@[^\s<>"'(),;:[\]“”‘’]{1,255}|[^\s<>"'(),;:[\]“”‘’]{1,64}@[^\s<>"'(),;:[\]“”‘’]{1,255})`;
const OPEN = String.raw`[\s>*•·–-]{0,24}(?:\d{1,3}[.)]\s{1,4})?`;
// A line that begins with an address, perhaps behind a label.
const LABEL = String.raw`(?:(?:final |failed |original |intended |the )?(?:recipients?|to|address|rcpt|user|mailbox|e-?mail(?: address)?|empfänger|destinataire|destinatario|destinatário|ontvanger|mottagare|収件人|受信者|收件人)(?: address| name)?\s{0,3}[:：]\s{0,10}(?:rfc822;\s{0,3})?)?`;
const ENTRY = new RegExp(
  String.raw`^${OPEN}${LABEL}["'“‘(<[]{0,3}(?:mailto:|smtp:)?${ADDRESS}["'”’)>\]]{0,3}(?=$|[\s:,;.(–-])(.{0,1500})$`,
  'iu',
);
const WITHIN = new RegExp(ADDRESS, 'giu');
const ALIAS = new RegExp(
  String.raw`(?:expanded from|generated from|via alias|alias(?:ed)? (?:of|from)?|ursprünglich an|originally (?:addressed )?to|was addressed to|forwarded (?:from|for))\s?:?\s{0,3}<?${ADDRESS}`,
  'iu',
);

function endOf(lines: readonly string[], book: PhraseBook): number {
  for (let i = 0; i < lines.length; i += 1) {
    const line = lines[i] ?? '';
    if (i > 0 && isCut(line, book)) return i;
    // No words before it: the header of the original begins.
    const next = lines.slice(i + 1, i + 4).join('\n');
    if (/^(?:Return-Path|Received|DKIM-Signature|X-[\w-]{1,60}|ARC-[\w-]{1,40}):/i.test(line) && /^(?:[ \t]|[\w-]{2,60}:)/m.test(next))
      return i;
  }
  return lines.length;
}

const QUOTES =
  /^[\s>]{0,20}(?:<<<|>>>|\d{3}[ -]|#?\d\.\d{1,2}\.\d{1,3}\b)|(?:said|says|responded|replied|response(?: was)?|error(?: from| was)?|reason(?: was)?|status|diagnostic[- ]code)\b[^\n]{0,80}(?<!\d)[245][0-5]\d[ -]/i;

/** Prose about addresses: each line that begins with one starts an entry, and what is below it belongs to it. */
export function readProse(text: string, except: (address: string) => boolean, book: PhraseBook): Prose {
  const all = text
    .slice(0, MOST_CHARS)
    .split(/\r\n|\r|\n/)
    .slice(0, MOST_LINES)
    .map((line) => line.slice(0, LONGEST_LINE).replace(/\u00A0/g, ' '));
  const end = endOf(all, book);
  const lines = all.slice(0, end);
  const whole = lines.join('\n');
  const mentions: Mention[] = [];
  let section: ProseOutcome | undefined;
  for (let i = 0; i < lines.length; i += 1) {
    const line = lines[i] ?? '';
    const entry = ENTRY.exec(line);
    if (entry === null || except(entry[1] ?? '') || /^\s*(?:from|sender|reply-to|von|de)\s*:/i.test(line)) {
      // A heading holds for what stands below it.
      if (entry === null && line.trim() !== '') section = wordsOf(line, book).outcome ?? section;
      continue;
    }
    const reason: string[] = [(entry[2] ?? '').replace(/^[\s:;,.)>–-]+/, '')];
    const from = i;
    const margin = indentOf(line);
    for (let j = i + 1; j < lines.length && j - from <= REASON_LINES; j += 1) {
      const next = lines[j] ?? '';
      const another = ENTRY.exec(next);
      if (another !== null && !except(another[1] ?? '') && sameKind(line, next)) break;
      if (next.trim() === '') {
        // The reason may be apart from its address, and its lines from each other, as long as they are indented or quoted.
        const after = lines[j + 1] ?? '';
        const isCoded = QUOTES.test(reason.join('\n'));
        const isEmpty = reason.join('').trim() === '';
        const goesOn =
          after.trim() !== '' && ((indentOf(after) > margin && !isCoded) || QUOTES.test(after) || (isEmpty && indentOf(after) >= margin));
        if (!goesOn || (ENTRY.test(after) && sameKind(line, after)) || /^[\s]{0,4}-{2,}/.test(after)) break;
        continue;
      }
      if (/^\s{0,4}-{3,}/.test(next)) break;
      reason.push(next.trim());
      i = j;
    }
    const said = reason.filter((word) => word !== '').join('\n');
    mentions.push({
      address: trimmed(entry[1] ?? ''),
      alias: aliasIn(said, line),
      outcome: wordsOf(said, book).outcome ?? section,
      reason: said.replace(/^\([^()\n]{0,30}expanded from[^()\n]{0,340}\):?\s*/i, ''),
    });
  }
  const told = wordsOf(whole, book);
  const found = mentions.length > 0 ? mentions : inSentences(lines, except, book);
  return {
    mentions: unique(found),
    outcome: told.outcome,
    givenUp: told.isGivenUp,
    ranOut: told.ranOut,
    transcript: transcriptOf(lines),
    rest: all.slice(end).join('\n'),
  };
}

function indentOf(line: string): number {
  return line.length - line.trimStart().length;
}

/** Whether two lines are entries of one list: an address deeper in, or in other brackets, is part of a reason. */
function sameKind(a: string, b: string): boolean {
  return Math.abs(indentOf(a) - indentOf(b)) <= 1 && a.trimStart().startsWith('<') === b.trimStart().startsWith('<');
}

function trimmed(address: string): string {
  return address.replace(/(?<!\.)\.+$/, '');
}

function aliasIn(reason: string, line: string): string | undefined {
  const found = ALIAS.exec(line) ?? ALIAS.exec(reason);
  return found === null ? undefined : trimmed(found[1] ?? '');
}

function unique(mentions: readonly Mention[]): Mention[] {
  const out = new Map<string, Mention>();
  for (const mention of mentions) {
    const key = mention.address.toLowerCase();
    const before = out.get(key);
    // The same address again: under a heading first, with its reason later.
    if (before === undefined) out.set(key, mention);
    else
      out.set(key, {
        ...before,
        alias: before.alias ?? mention.alias,
        outcome: before.outcome ?? mention.outcome,
        reason: better(before.reason, mention.reason),
      });
  }
  return [...out.values()];
}

function better(a: string, b: string): string {
  const [x, y] = [readQuoted(a), readQuoted(b)];
  if (x.replyCode === undefined && y.replyCode !== undefined) return b;
  return a.trim() === '' ? b : a;
}

/** Characters before an address that may say that it is a new one. */
const SUGGESTED = 60;

/** Without a list: addresses in sentences that tell of a failure, or within what a server is quoted with. */
function inSentences(lines: readonly string[], except: (address: string) => boolean, book: PhraseBook): Mention[] {
  const out: Mention[] = [];
  const whole = lines.join('\n');
  const addressesOf = (line: string): string[] =>
    [...line.matchAll(WITHIN)]
      // Where the recipient has moved to has not failed.
      .filter(({ index }) => !book.says(plainWords(line.slice(Math.max(0, index - SUGGESTED), index))).has('suggests'))
      .map(([address]) => address)
      .filter((address) => !except(address));
  const tells = (text: string): boolean => {
    const said = book.says(plainWords(text));
    return said.has('failed') || said.has('delayed');
  };
  /** What is said from a line on, until another address fails or a rule ends it. */
  const reasonFrom = (from: number, most: number, address: string): string => {
    const end = lines.findIndex(
      (line, i) =>
        i > from &&
        (/^\s{0,8}[-=_*]{3,}\s*$/.test(line) ||
          (tells(line) && addressesOf(line).some((other) => other.toLowerCase() !== address.toLowerCase()))),
    );
    return lines
      .slice(from, Math.min(from + most, end === -1 ? lines.length : end))
      .join('\n')
      .trim();
  };
  // A sentence may go over two lines.
  for (let i = 0; i < lines.length; i += 1) {
    const pair = `${lines[i] ?? ''} ${lines[i + 1] ?? ''}`;
    if (!tells(pair) && !QUOTES.test(lines[i] ?? '') && !/RCPT TO/i.test(lines[i] ?? '')) continue;
    for (const address of addressesOf(lines[i] ?? ''))
      out.push({
        address: trimmed(address),
        alias: undefined,
        outcome: wordsOf(pair, book).outcome ?? wordsOf(whole, book).outcome,
        reason: reasonFrom(i, 6, address),
      });
    if (lines[i + 1] !== undefined && out.length === 0 && book.says(plainWords(lines[i] ?? '')).has('failed'))
      for (const address of addressesOf(lines[i + 1] ?? ''))
        out.push({ address: trimmed(address), alias: undefined, outcome: wordsOf(pair, book).outcome, reason: reasonFrom(i, 8, address) });
  }
  return out;
}

/** What a server is quoted with: the last answer that refuses, in a transcript or in a sentence. */
function transcriptOf(lines: readonly string[]): Quoted | undefined {
  const marked = lines.flatMap((line, i) => (/^\s{0,8}<<<\s/.test(line) ? [i] : []));
  const candidates = marked.length > 0 ? marked : lines.flatMap((line, i) => (QUOTES.test(line) ? [i] : []));
  for (const i of candidates) {
    const text = marked.length > 0 ? sameReply(lines, i) : lines.slice(i, i + 5).join('\n');
    const quoted = readQuoted(text.replace(/^[ \t]*<<<[ \t]*/gm, ''));
    if (quoted.replyCode !== undefined ? quoted.replyCode >= 400 : quoted.status !== undefined && !quoted.status.startsWith('2'))
      return quoted;
  }
  return undefined;
}

function sameReply(lines: readonly string[], from: number): string {
  const out = [lines[from] ?? ''];
  for (let i = from + 1; i < lines.length && /^\s{0,8}<<<\s/.test(lines[i] ?? '') && out.length < 12; i += 1) {
    if (!/\d{3}-/.test(lines[i - 1] ?? '')) break;
    out.push(lines[i] ?? '');
  }
  return out.join('\n');
}
