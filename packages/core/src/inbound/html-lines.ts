import { isTag, isText, Text, type AnyNode, type ChildNode, type Document, type Element } from 'domhandler';
import { parse } from 'parse5';
import { adapter } from 'parse5-htmlparser2-tree-adapter';
import { readDeclarations } from '../css/index.js';
import type { Line } from './roles.js';

/** A line of HTML as it is shown, and the nodes that it is of. */
export interface ShownLine extends Line {
  readonly nodes: readonly ChildNode[];
}

/** Past these an email is no longer something that a person has written. */
const [MOST_DEPTH, MOST_NODES, MOST_LINES] = [400, 100_000, 20_000];

const BLOCKS = new Set(
  'p div tr td th h1 h2 h3 h4 h5 h6 li ul ol dl dt dd table tbody thead tfoot blockquote pre hr center section article header footer main aside figure figcaption address form fieldset'.split(
    ' ',
  ),
);
/** Elements of which nothing is shown, or nothing that an email may show. */
const UNSHOWN = new Set(
  'head script style title meta link base iframe object embed applet template noscript svg math audio video canvas map area frame frameset noembed noframes input button select option textarea xmp param source track dialog portal'.split(
    ' ',
  ),
);

// What common mail readers put around what they quote. A class or an id is what they write, and nothing that a person would.
const QUOTES = [
  'gmail_quote',
  'gmail_attr',
  'yahoo_quoted',
  'protonmail_quote',
  'zmail_extra',
  'moz-cite-prefix',
  'tutanota_quote',
  'mail-quote',
  'quoted-message',
  'x_gmail_quote',
  'outlookmessageheader',
  'replyforwardmessage',
];
const ENDS = ['divrplyfwdmsg', 'appendonsend', 'x_divrplyfwdmsg', 'stopspelling', 'reply-intro', 'mail-editor-reference-message-container'];
const SIGNATURES = [
  'gmail_signature',
  'moz-signature',
  'signature',
  'protonmail_signature_block',
  'x_signature',
  'ms-outlook-mobile-signature',
  'applemailsignature',
  'mobile-signature',
];

function namesOf({ attribs }: Element): string[] {
  return [...(attribs['class'] ?? '').split(/\s+/, 20), attribs['id'] ?? '']
    .map((name) => name.toLowerCase())
    .filter((name) => name !== '');
}

interface Around {
  readonly quote: Line['quote'];
  readonly isSignature: boolean;
  readonly isPre: boolean;
}

function quoteOf(element: Element, names: readonly string[]): Line['quote'] {
  if (names.some((name) => QUOTES.includes(name))) return 'sure';
  if (element.name !== 'blockquote') return undefined;
  return element.attribs['type'] === 'cite' ||
    element.attribs['cite'] !== undefined ||
    names.some((name) => name.includes('cite') || name.includes('quote'))
    ? 'sure'
    : 'maybe';
}

/** The line above an email that is answered, which some readers draw. */
function isRule({ name, attribs }: Element): boolean {
  const style = attribs['style'] ?? '';
  return (
    name === 'div' &&
    style.length < 300 &&
    /border-top:\s?(?:solid #(?:E1E1E1|B5C4DF)|1px solid #(?:E1E1E1|B5C4DF)|none;.*border-top:solid)/i.test(style)
  );
}

/** Whether a reader shows nothing of an element. */
export function isHidden(element: Element): boolean {
  if (UNSHOWN.has(element.name) || element.attribs['hidden'] !== undefined) return true;
  const style = element.attribs['style'];
  if (style === undefined || !/display|visibility|mso-hide/i.test(style)) return false;
  return readDeclarations(style).some(
    ({ property, value }) =>
      (property === 'display' && /^none/i.test(value.trim())) ||
      (property === 'visibility' && /^hidden/i.test(value.trim())) ||
      (property === 'mso-hide' && /^all/i.test(value.trim())),
  );
}

/** Reads HTML; undefined for what nests deeper, or holds more, than what a person has written. */
export function readHtml(html: string): Document | undefined {
  const document: Document = parse(html, { treeAdapter: adapter });
  const waiting: { node: AnyNode; depth: number }[] = [{ node: document, depth: 0 }];
  let count = 0;
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    count += 1;
    if (next.depth > MOST_DEPTH || count > MOST_NODES) return undefined;
    if ('children' in next.node) for (const child of next.node.children) waiting.push({ node: child, depth: next.depth + 1 });
  }
  return document;
}

/** Puts each line of preformatted text into a node of its own, so that they can be told from each other. */
function partLines(parent: Document | Element): void {
  if (!parent.children.some((node) => isText(node) && node.data.includes('\n'))) return;
  parent.children = parent.children.flatMap((node): ChildNode[] =>
    isText(node) ? node.data.split(/(?<=\n)/).map((data) => Object.assign(new Text(data), { parent })) : [node],
  );
}

/** The lines of a document in the order of reading; undefined for more than a person writes. */
export function linesOf(document: Document): ShownLine[] | undefined {
  const out: ShownLine[] = [];
  let text = '';
  let nodes: ChildNode[] = [];
  let around: Around | undefined;
  let isEnd = false;
  const close = (force = false): void => {
    const shown = text.replace(/[\u200B\uFEFF]/g, '');
    if (shown.trim() !== '' || nodes.length > 0 || force) {
      out.push({
        // White space at the end of a signature's mark belongs to it.
        text: /^\s*--\s*$/.test(shown) ? '-- ' : shown.trim(),
        quote: around?.quote,
        isSignature: around?.isSignature ?? false,
        isEnd,
        nodes,
      });
      isEnd = false;
    }
    text = '';
    nodes = [];
    around = undefined;
  };
  const visit = (parent: Document | Element, own: Around): void => {
    if (own.isPre) partLines(parent);
    for (const node of parent.children) {
      if (out.length > MOST_LINES) return;
      if (isText(node)) {
        addText(node, own);
        continue;
      }
      if (!isTag(node) || isHidden(node)) continue;
      visitElement(node, own);
    }
  };
  const addText = (node: Text, own: Around): void => {
    const part = own.isPre ? node.data.replace(/\n$/, '') : node.data.replace(/[ \t\r\n\f]+/g, ' ');
    const isKept = part !== '' && !(part.trim() === '' && text === '');
    if (isKept) {
      around ??= own;
      text += part.replace(/\u00A0/g, ' ');
      nodes.push(node);
    }
    if (own.isPre && node.data.endsWith('\n')) close(true);
  };
  const visitElement = (element: Element, own: Around): void => {
    const names = namesOf(element);
    const isBlock = BLOCKS.has(element.name);
    if (isBlock) close();
    if (names.some((name) => ENDS.includes(name)) || isRule(element)) isEnd = true;
    if (element.name === 'br') {
      // An empty line is kept: it parts paragraphs.
      close(text === '' && nodes.length === 0);
      return;
    }
    if (element.name === 'img') {
      around ??= own;
      nodes.push(element);
      return;
    }
    const quote = quoteOf(element, names);
    const style = element.attribs['style'] ?? '';
    visit(element, {
      quote: own.quote === 'sure' ? 'sure' : (quote ?? own.quote),
      isSignature: own.isSignature || names.some((name) => SIGNATURES.includes(name)),
      isPre: own.isPre || element.name === 'pre' || /white-space:\s?(?:pre|break-spaces)/i.test(style),
    });
    if (!isBlock) return;
    close();
    // Paragraphs are apart.
    if (PARAGRAPHS.has(element.name) && out.at(-1)?.text !== '')
      out.push({ text: '', quote: quote === 'sure' ? 'sure' : own.quote, nodes: [] });
  };
  visit(document, { quote: undefined, isSignature: false, isPre: false });
  close();
  if (out.length > MOST_LINES) return undefined;
  return out.map((line) => (line.quote === undefined && /^>/.test(line.text) ? { ...line, quote: 'sure' } : line));
}

const PARAGRAPHS = new Set(['p', 'blockquote', 'h1', 'h2', 'h3', 'h4', 'h5', 'h6', 'ul', 'ol', 'table', 'pre', 'hr']);
