import { isTag, isText, type AnyNode, type Document, type Element } from 'domhandler';
import { parse, serialize } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { readDeclarations } from '../css/index.js';

/** A link as a reader meets it. */
export interface ShownLink {
  /** What stands on it; of a picture, its words. */
  readonly text: string;
  readonly href: string;
}

/** Links of an email that are looked at; an email with more is no mail for people. */
const MOST_LINKS = 2000;

/** Nodes within a link that are looked at for its words: links of a hostile mail are within each other. */
const MOST_NODES = 500;
/** Elements that stand on lines of their own. */
const BLOCKS = new Set(['p', 'div', 'tr', 'td', 'th', 'h1', 'h2', 'h3', 'h4', 'h5', 'h6', 'br', 'li', 'table']);
const LINE_END = '\n';
const UNREAD = new Set(['head', 'style', 'script']);

function read(html: string): Document {
  return parse(html, { treeAdapter: adapter });
}

function* elements(node: AnyNode): Generator<Element> {
  // Without recursion: a hostile mail nests deeper than a stack.
  const waiting: AnyNode[] = [node];
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    if (isTag(next)) yield next;
    push(waiting, next);
  }
}

/** Puts what is within a node on top, the first one uppermost. One by one: a hostile mail has more of them than a call takes. */
function push(waiting: (AnyNode | typeof LINE_END)[], node: AnyNode): void {
  if ('children' in node) for (let i = node.children.length - 1; i >= 0; i -= 1) waiting.push(node.children[i] as AnyNode);
}

function wordsOf(element: Element): string {
  const words: string[] = [];
  const waiting: AnyNode[] = [element];
  let looked = 0;
  for (let next = waiting.pop(); next !== undefined && looked < MOST_NODES; next = waiting.pop()) {
    looked += 1;
    if (isText(next)) words.push(next.data);
    else if (isTag(next) && next.name === 'img') words.push(next.attribs['alt'] ?? '');
    push(waiting, next);
  }
  return words.join(' ').replace(/\s+/g, ' ').trim();
}

/** The links of an HTML part in the order of reading. Addresses within the email ("#top") are left out. */
export function linksOf(html: string): ShownLink[] {
  const out: ShownLink[] = [];
  for (const element of elements(read(html))) {
    const href = element.attribs['href']?.trim();
    if ((element.name !== 'a' && element.name !== 'area') || href === undefined || href === '' || href.startsWith('#')) continue;
    out.push({ text: wordsOf(element), href });
    if (out.length >= MOST_LINKS) break;
  }
  return out;
}

/** Addresses in a text part. */
export function linksOfText(text: string): ShownLink[] {
  const found = [...text.matchAll(/\bhttps?:\/\/[^\s<>"]+[^\s<>".,;:!?)\]]/g)].map(([href]) => href);
  return [...new Set(found)].slice(0, MOST_LINKS).map((href) => ({ text: href, href }));
}

/** The words of an HTML part, a line for each block. */
export function wordsOfHtml(html: string): string {
  const out: string[] = [];
  const waiting: (AnyNode | typeof LINE_END)[] = [read(html)];
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    if (next === LINE_END || isText(next)) out.push(next === LINE_END ? LINE_END : next.data);
    if (next === LINE_END || (isTag(next) && UNREAD.has(next.name))) continue;
    if (isTag(next) && BLOCKS.has(next.name)) {
      out.push(LINE_END);
      waiting.push(LINE_END);
    }
    push(waiting, next);
  }
  return out.join('');
}

function withoutAddresses(style: string): string {
  return readDeclarations(style)
    .filter(({ value }) => !/url\(/i.test(value))
    .map(({ property, value, important }) => `${property}:${value}${important ? '!important' : ''}`)
    .join(';');
}

/** What a harsh webmail leaves of an email: no style sheets, no classes and ids, no background pictures. Inline styles stay. */
export function harshView(html: string): string {
  const document = read(html);
  const gone: Element[] = [];
  for (const element of elements(document)) {
    if (element.name === 'style' || element.name === 'link') gone.push(element);
    for (const name of ['class', 'id', 'background']) Reflect.deleteProperty(element.attribs, name);
    const style = element.attribs['style'];
    if (style !== undefined && /url\(/i.test(style)) element.attribs['style'] = withoutAddresses(style);
  }
  for (const element of gone) adapter.detachNode(element);
  return serialize(document, { treeAdapter: adapter });
}
