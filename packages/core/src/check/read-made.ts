import { Document, Element, Text, type ParentNode } from 'domhandler';

/** The tags and texts of markup that this compiler has made: closed, quoted, and escaped in one way. */
export interface Piece {
  readonly kind: 'open' | 'close' | 'text';
  /** The name of a tag, or the text as it is written. */
  readonly text: string;
  /** The attributes of a tag, as they are written. */
  readonly attributes: string;
}

const PIECES = /<!--[^]*?-->|<(\/?)([a-z][a-z0-9]*)((?:[\s/][^<>"]*(?:"[^"]*"[^<>"]*)*)?)>|<![^>]*>|([^<]+)/g;
const REFERENCE = /&(?:#(\d+)|([a-z]+));/g;
const NAMED: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', nbsp: '\u00A0', zwnj: '\u200C', apos: "'" };

/** A text with its references resolved. */
export function decoded(text: string): string {
  if (!text.includes('&')) return text;
  return text.replace(REFERENCE, (all, number: string | undefined, name: string | undefined) =>
    number === undefined ? (NAMED[name ?? ''] ?? all) : String.fromCodePoint(Math.min(0x10_ff_ff, Number(number))),
  );
}

/** An attribute of a tag; undefined where it has none of this name. */
export function attributeOf({ attributes }: Piece, name: string): string | undefined {
  const at = attributes.indexOf(` ${name}="`);
  if (at === -1) return undefined;
  const from = at + name.length + 3;
  return decoded(attributes.slice(from, attributes.indexOf('"', from)));
}

/** Goes along markup that this compiler has made. Any other is read with a parser. */
export function* piecesOf(html: string): Generator<Piece> {
  for (const [, slash, name, attributes = '', text] of html.matchAll(PIECES)) {
    if (text !== undefined) yield { kind: 'text', text, attributes: '' };
    else if (name !== undefined) yield { kind: slash === '/' ? 'close' : 'open', text: name, attributes };
  }
}

/** Elements without an end (HTML, 13.1.2). */
export const VOID = new Set('area base br col embed hr img input link meta source track wbr'.split(' '));
const ATTRIBUTES = /([^\s=>"]+)(?:="([^"]*)")?/g;

/** The body of such markup as a tree, at a fraction of what a parser costs. */
export function treeOf(html: string): Document {
  const root = new Document([]);
  const open: Element[] = [];
  const put = (node: Element | Text): void => {
    const parent: ParentNode = open.at(-1) ?? root;
    node.parent = parent;
    parent.children.push(node);
  };
  for (const { kind, text, attributes } of piecesOf(html.slice(Math.max(0, html.indexOf('<body'))))) {
    if (kind === 'text') put(new Text(decoded(text)));
    else if (kind === 'open') {
      const attribs: Record<string, string> = {};
      for (const [, name = '', value = ''] of attributes.matchAll(ATTRIBUTES)) if (name !== '/') attribs[name] = decoded(value);
      const element = new Element(text, attribs, []);
      put(element);
      if (!VOID.has(text)) open.push(element);
    } else if (open.at(-1)?.name === text) open.pop();
  }
  return root;
}
