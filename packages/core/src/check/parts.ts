import { TONE_WORDS } from '../blocks/index.js';
import { Tokenizer, TokenizerMode } from 'parse5';
import { attributeOf, decoded, piecesOf, VOID } from './read-made.js';

/** What one part of an email says and the other does not. */
export interface Difference {
  readonly missingIn: 'html' | 'text';
  /** A word, a number or an address. */
  readonly what: string;
}

// Scripts without spaces break anywhere, so each of their letters counts for itself.
const UNSPACED = /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Hangul}\p{Script=Thai}ー]/u;
const WORDS =
  /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Hangul}\p{Script=Thai}ー]|(?:(?![\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Hangul}\p{Script=Thai}ー])[\p{L}\p{N}\p{M}])+/gu;
// An address from data may be empty: the scheme alone is no word either.
const URLS = /(?:https?|sms|tel|mailto):[^\s<>"]*/g;

function wordsOf(text: string): Map<string, number> {
  const out = new Map<string, number>();
  const same = text.normalize('NFKC').toLowerCase();
  const words = UNSPACED.test(same) ? same.match(WORDS) : same.match(/[\p{L}\p{N}\p{M}]+/gu);
  for (const word of words ?? []) out.set(word, (out.get(word) ?? 0) + 1);
  return out;
}

const BLOCKS = new Set(
  'address blockquote body br dd div dl dt h1 h2 h3 h4 h5 h6 hr li ol p pre section table tbody td tfoot th thead tr ul'.split(' '),
);
const SILENT = new Set(['head', 'style', 'title', 'script', 'template']);
const RAW_TEXT = new Set(['style', 'script', 'title']);

/** What a reader reads, and where its links lead, gathered tag by tag. Items of numbered lists have their numbers. */
class Reading {
  readonly parts: string[] = [];
  readonly links: string[] = [];
  /** Elements that are open since one began that shows nothing, that one included; empty where all is shown. */
  readonly #hidden: string[] = [];
  /** For each list that is open, the number of its next item; 0 where items have none. */
  readonly #lists: number[] = [];

  /** @param text is asked for only where it is shown */
  say(text: () => string): void {
    if (this.#hidden.length === 0) this.parts.push(text());
  }

  /** @param mayHide whether its attributes are to be looked at for what hides it */
  open(name: string, attribute: (name: string) => string | undefined, mayHide = true): void {
    const isHidden =
      this.#hidden.length > 0 ||
      SILENT.has(name) ||
      (mayHide && (attribute('hidden') !== undefined || /(?:^|;)\s*display\s*:\s*none/i.test(attribute('style') ?? '')));
    if (isHidden) {
      if (!VOID.has(name)) this.#hidden.push(name);
      return;
    }
    if (BLOCKS.has(name)) this.parts.push(' ');
    if (name === 'ol') this.#lists.push(Number(attribute('start') ?? 1));
    else if (name === 'ul') this.#lists.push(0);
    else if (name === 'li') {
      const number = this.#lists[this.#lists.length - 1] ?? 0;
      if (number > 0) {
        this.parts.push(`${number} `);
        this.#lists[this.#lists.length - 1] = number + 1;
      }
    } else if (name === 'a') {
      const href = attribute('href') ?? '';
      if (href !== '' && !href.startsWith('#')) this.links.push(href);
    } else if (name === 'img') this.parts.push(` ${attribute('alt') ?? ''} `);
  }

  close(name: string): void {
    if (this.#hidden.length > 0) {
      const at = this.#hidden.lastIndexOf(name);
      if (at !== -1) this.#hidden.length = at;
      return;
    }
    if (BLOCKS.has(name)) this.parts.push(' ');
    if (name === 'ol' || name === 'ul') this.#lists.pop();
  }
}

/** Reads HTML of any author. Tags are enough for that: a tree would cost as much as the rendering. */
function readHtml(html: string): Reading {
  const reading = new Reading();
  const say = ({ chars }: { readonly chars: string }): void => {
    reading.say(() => chars);
  };
  const nothing = (): void => undefined;
  const tokenizer: Tokenizer = new Tokenizer(
    { sourceCodeLocationInfo: false },
    {
      onCharacter: say,
      onWhitespaceCharacter: say,
      onNullCharacter: nothing,
      onComment: nothing,
      onDoctype: nothing,
      onEof: nothing,
      onStartTag: ({ tagName, attrs }) => {
        if (RAW_TEXT.has(tagName)) {
          tokenizer.state = tagName === 'title' ? TokenizerMode.RCDATA : TokenizerMode.RAWTEXT;
          tokenizer.lastStartTagName = tagName;
        }
        reading.open(tagName, (name) => attrs.find((attr) => attr.name === name)?.value);
      },
      onEndTag: ({ tagName }) => {
        reading.close(tagName);
      },
    },
  );
  tokenizer.write(html, true);
  return reading;
}

/** Reads HTML that blocks made, at a fraction of the cost; nothing of its head is shown. */
function readMade(html: string): Reading {
  const reading = new Reading();
  for (const piece of piecesOf(html.slice(Math.max(0, html.indexOf('</head>'))))) {
    if (piece.kind === 'text') reading.say(() => decoded(piece.text));
    else if (piece.kind === 'open') reading.open(piece.text, (name) => attributeOf(piece, name), /none|hidden/i.test(piece.attributes));
    else reading.close(piece.text);
  }
  return reading;
}

/** What a reader of the text part reads, without the numbers that stand for links, and the addresses in it. */
function readText(written: string): { text: string; links: string[] } {
  // A notice has a word where the HTML has a colour.
  const text = written.replace(/^(?:[>|] )*\| (\S[^:\n]*):$/gm, (line, word: string) => (TONE_WORDS.has(word) ? '' : line));
  const notes = [...text.matchAll(/^\[(\d+)\] (\S+)$/gm)];
  const body = notes.length === 0 ? text : text.slice(0, notes[0]?.index);
  const numbers = new Set(notes.map((found) => found[1]));
  const links = [...notes.map((found) => found[2] ?? ''), ...(body.match(URLS) ?? [])];
  // The marks of steps are no words.
  const unmarked = body.replace(/^([ \t]*)\[[x> ]\] /gm, '$1');
  return { text: unmarked.replace(URLS, ' ').replace(/\[(\d+)\]/g, (all, number: string) => (numbers.has(number) ? ' ' : all)), links };
}

/**
 * Compares the parts of an email: every word, number and address of one is in the other, as often. Order, case, and marks of the text part
 * do not count.
 * @param isMade the HTML was made by blocks alone
 */
export function compareParts(html: string, text: string, { isMade = false }: { readonly isMade?: boolean } = {}): Difference[] {
  const reading = isMade ? readMade(html) : readHtml(html);
  const [a, b] = [{ text: reading.parts.join(''), links: reading.links }, readText(text)];
  const out: Difference[] = [];
  // An address that a link has for its words says no more than the link.
  const [inHtml, inText] = [wordsOf(a.text.replace(URLS, ' ')), wordsOf(b.text)];
  for (const [word, count] of inHtml) if (count > (inText.get(word) ?? 0)) out.push({ missingIn: 'text', what: word });
  for (const [word, count] of inText) if (count > (inHtml.get(word) ?? 0)) out.push({ missingIn: 'html', what: word });
  const plain = (link: string): string => link.replace(/(?<![.,;:!?)\]}'’”*_~])[.,;:!?)\]}'’”*_~]+$/, '').replace(/\/$/, '');
  const [from, to] = [new Set(a.links.map(plain)), new Set([...b.links, ...(a.text.match(URLS) ?? [])].map(plain))];
  for (const link of from)
    if (!to.has(link) && !(link.startsWith('mailto:') && b.text.includes(decodeURIComponent(link.slice(7)))))
      out.push({ missingIn: 'text', what: link });
  for (const link of new Set(b.links.map(plain)))
    if (!from.has(link) && !a.text.includes(link)) out.push({ missingIn: 'html', what: link });
  return out;
}
