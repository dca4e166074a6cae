import stringWidth from 'string-width';
import { cut, graphemes } from './graphemes.js';

// Scripts of one column a letter, without combining marks: most of what is measured, and need not be cut into graphemes.
const PLAIN = /^[\u0020-\u007E\u00A0-\u00AC\u00AE-\u02FF\u0370-\u03FF\u0400-\u0482\u048A-\u052F\u2010-\u2027\u2030-\u205E\u20AC]*$/;

/** What is not, with the letter before it that it may belong to. */
const OTHER =
  /[\u0020-\u007E\u00A0-\u00AC\u00AE-\u02FF\u0370-\u03FF\u0400-\u0482\u048A-\u052F\u2010-\u2027\u2030-\u205E\u20AC]?[^\u0020-\u007E\u00A0-\u00AC\u00AE-\u02FF\u0370-\u03FF\u0400-\u0482\u048A-\u052F\u2010-\u2027\u2030-\u205E\u20AC]+/g;

// The same with letters of two columns, and with Arabic and Hebrew letters: no marks, nothing that joins.
const PLAIN_OR_WIDE =
  /^[\u0020-\u007E\u00A0-\u00AC\u00AE-\u02FF\u0370-\u03FF\u0400-\u0482\u048A-\u052F\u05D0-\u05EA\u060C\u061B\u061F\u0621-\u064A\u0660-\u066C\u0671-\u06D3\u2010-\u2027\u2030-\u205E\u20AC\u2066-\u2069\u3000-\u3029\u3030-\u303E\u3041-\u3096\u309B-\u30FF\u3400-\u4DBF\u4E00-\u9FFF\uAC00-\uD7A3\uFF01-\uFF60\uFFE0-\uFFE6]*$/;
const WIDE = /[\u3000-\u30FF\u3400-\u4DBF\u4E00-\u9FFF\uAC00-\uD7A3\uFF01-\uFF60\uFFE0-\uFFE6]/g;
/** Marks of direction around a value take no room. */
const ISOLATES = /[\u2066-\u2069]/g;

function count(text: string, sign: RegExp): number {
  return text.match(sign)?.length ?? 0;
}

/** Whether each letter of a text takes one column, so that its length is its width. */
export function isPlain(text: string): boolean {
  return PLAIN.test(text);
}

/** Columns that a text takes on a terminal: wide characters two, combining marks none. */
export function displayWidth(text: string): number {
  if (isPlain(text)) return text.length;
  if (PLAIN_OR_WIDE.test(text)) return text.length + count(text, WIDE) - count(text, ISOLATES);
  const rest = (text.match(OTHER) ?? []).join('');
  let width = text.length - rest.length;
  for (const piece of cut(rest)) width += stringWidth(piece);
  return width;
}

/** The letters of a text as people count them; most texts hold nothing that joins. */
export function lettersOf(text: string): Iterable<string> {
  return PLAIN_OR_WIDE.test(text) ? text : graphemes(text);
}

export function padEnd(text: string, width: number): string {
  return text + ' '.repeat(Math.max(0, width - displayWidth(text)));
}

export function padStart(text: string, width: number): string {
  return ' '.repeat(Math.max(0, width - displayWidth(text))) + text;
}
