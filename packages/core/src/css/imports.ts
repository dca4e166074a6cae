import { tokenize, tokenTypes } from 'css-tree/dist/csstree.esm';

/** What an `@import` asks for (CSS Cascade 5, 2). */
export interface CssImport {
  readonly href: string;
  /** Its layer; empty for one without a name. */
  readonly layer: string | undefined;
  readonly supports: string | undefined;
  /** Empty for none. */
  readonly media: string;
}

interface Piece {
  readonly type: number;
  /** With all that is within its parentheses. */
  readonly text: string;
}

/** The tokens of a prelude, those within parentheses as one. */
function piecesOf(prelude: string): Piece[] {
  const out: { type: number; text: string }[] = [];
  let depth = 0;
  tokenize(prelude, (type, from, to) => {
    const last = out.at(-1);
    if (depth > 0 && last !== undefined) last.text += prelude.slice(from, to);
    else if (type !== tokenTypes.WhiteSpace && type !== tokenTypes.Comment) out.push({ type, text: prelude.slice(from, to) });
    if (type === tokenTypes.Function || type === tokenTypes.LeftParenthesis) depth += 1;
    if (type === tokenTypes.RightParenthesis) depth = Math.max(0, depth - 1);
  });
  return out;
}

const argumentOf = (text: string): string => text.slice(text.indexOf('(') + 1, text.lastIndexOf(')')).trim();
const bare = (text: string): string => (/^["']/.test(text) ? text.slice(1, -1) : text);

/** Reads the prelude of an `@import`; undefined where it names nothing. */
export function readImport(prelude: string): CssImport | undefined {
  const [first, ...rest] = piecesOf(prelude);
  if (first === undefined) return undefined;
  const href = bare(first.type === tokenTypes.String ? first.text : argumentOf(first.text));
  if (href === '') return undefined;
  const isNamed = (name: string): boolean => rest[0]?.text.toLowerCase().startsWith(name) === true;
  const layer = isNamed('layer') ? argumentOf(rest.shift()?.text ?? '') : undefined;
  const supports = isNamed('supports(') ? argumentOf(rest.shift()?.text ?? '') : undefined;
  return {
    href,
    layer,
    supports,
    media: rest
      .map(({ text }) => text)
      .join(' ')
      .replaceAll(' ,', ','),
  };
}
