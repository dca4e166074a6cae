/** The tags and texts of markup that this compiler has made: closed, quoted, and escaped in one way. */
export interface Piece {
  readonly kind: 'open' | 'close' | 'text';
  /** The name of a tag, or the text. */
  readonly text: string;
  /** The attributes of a tag, as they are written. */
  readonly attributes: string;
}

const PIECES = /<!--[^]*?-->|<(\/?)([a-z][a-z0-9]*)((?:[\s/][^<>"]*(?:"[^"]*"[^<>"]*)*)?)>|<![^>]*>|([^<]+)/g;
const REFERENCE = /&(?:#(\d+)|([a-z]+));/g;
const NAMED: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', nbsp: '\u00A0', zwnj: '\u200C', apos: "'" };

/** A text with its references resolved. */
function decoded(text: string): string {
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
    if (text !== undefined) yield { kind: 'text', text: decoded(text), attributes: '' };
    else if (name !== undefined) yield { kind: slash === '/' ? 'close' : 'open', text: name, attributes };
  }
}
