import { isTag, isText, type ChildNode } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';

/** What one part of a mail says and the other does not. */
export interface Difference {
  readonly missingIn: 'html' | 'text';
  /** A word, a number or an address. */
  readonly what: string;
}

// Scripts without spaces break anywhere, so each of their letters counts for itself.
const WORDS =
  /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Hangul}\p{Script=Thai}ー]|(?:(?![\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Hangul}\p{Script=Thai}ー])[\p{L}\p{N}\p{M}])+/gu;
const URLS = /(?:https?|sms|tel|mailto):[^\s<>"]+/g;

function wordsOf(text: string): Map<string, number> {
  const out = new Map<string, number>();
  for (const [word] of text.normalize('NFKC').toLowerCase().matchAll(WORDS)) out.set(word, (out.get(word) ?? 0) + 1);
  return out;
}

const BLOCKS = new Set(
  'address blockquote body br dd div dl dt h1 h2 h3 h4 h5 h6 hr li ol p pre section table tbody td tfoot th thead tr ul'.split(' '),
);
const SILENT = new Set(['head', 'style', 'title', 'script', 'template']);

/** What a reader of the HTML reads, and where its links lead. Items of numbered lists have their numbers. */
function readHtml(html: string): { text: string; links: string[] } {
  const parts: string[] = [];
  const links: string[] = [];
  const walk = (node: ChildNode, position: number): void => {
    if (isText(node)) parts.push(node.data);
    if (!isTag(node) || SILENT.has(node.name)) return;
    if (/(?:^|;)\s*display\s*:\s*none/i.test(node.attribs['style'] ?? '') || 'hidden' in node.attribs) return;
    const href = node.attribs['href'] ?? '';
    if (node.name === 'a' && href !== '' && !href.startsWith('#')) links.push(href);
    if (node.name === 'img') parts.push(` ${node.attribs['alt'] ?? ''} `);
    if (BLOCKS.has(node.name)) parts.push(' ');
    if (node.name === 'li' && position > 0) parts.push(`${position} `);
    let number = node.name === 'ol' ? Number(node.attribs['start'] ?? 1) : 0;
    for (const child of node.children) {
      walk(child, isTag(child) && child.name === 'li' ? number : 0);
      if (isTag(child) && child.name === 'li' && number > 0) number += 1;
    }
    if (BLOCKS.has(node.name)) parts.push(' ');
  };
  for (const node of parse(html, { treeAdapter: adapter }).children) walk(node, 0);
  return { text: parts.join(''), links };
}

/** What a reader of the text part reads, without the numbers that stand for links, and the addresses in it. */
function readText(text: string): { text: string; links: string[] } {
  const notes = [...text.matchAll(/^\[(\d+)\] (\S+)$/gm)];
  const body = notes.length === 0 ? text : text.slice(0, notes[0]?.index);
  const numbers = new Set(notes.map((found) => found[1]));
  const links = [...notes.map((found) => found[2] ?? ''), ...(body.match(URLS) ?? [])];
  // The marks of steps are no words.
  const unmarked = body.replace(/^(\s*)\[[x> ]\] /gm, '$1');
  return { text: unmarked.replace(URLS, ' ').replace(/\[(\d+)\]/g, (all, number: string) => (numbers.has(number) ? ' ' : all)), links };
}

/**
 * Compares the parts of a mail: every word, number and address of one is in the other, as often. Order, case, and marks of the text part
 * do not count.
 */
export function compareParts(html: string, text: string): Difference[] {
  const [a, b] = [readHtml(html), readText(text)];
  const out: Difference[] = [];
  // An address that a link has for its words says no more than the link.
  const [inHtml, inText] = [wordsOf(a.text.replace(URLS, ' ')), wordsOf(b.text)];
  for (const [word, count] of inHtml) if (count > (inText.get(word) ?? 0)) out.push({ missingIn: 'text', what: word });
  for (const [word, count] of inText) if (count > (inHtml.get(word) ?? 0)) out.push({ missingIn: 'html', what: word });
  const plain = (link: string): string => link.replace(/[.,;:!?)\]}'’”*_~]+$/, '').replace(/\/$/, '');
  const [from, to] = [new Set(a.links.map(plain)), new Set([...b.links, ...(a.text.match(URLS) ?? [])].map(plain))];
  for (const link of from)
    if (!to.has(link) && !(link.startsWith('mailto:') && b.text.includes(decodeURIComponent(link.slice(7)))))
      out.push({ missingIn: 'text', what: link });
  for (const link of new Set(b.links.map(plain)))
    if (!from.has(link) && !a.text.includes(link)) out.push({ missingIn: 'html', what: link });
  return out;
}
