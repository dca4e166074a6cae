import stringWidth from 'string-width';
import { cut } from './graphemes.js';

// Scripts of one column a letter, without combining marks: most of what is measured, and need not be cut into graphemes.
const PLAIN = /^[\u0020-\u007E\u00A0-\u00AC\u00AE-\u02FF\u0370-\u03FF\u0400-\u0482\u048A-\u052F\u2010-\u2027\u2030-\u205E\u20AC]*$/;

/** Whether each letter of a text takes one column, so that its length is its width. */
export function isPlain(text: string): boolean {
  return PLAIN.test(text);
}

/** Columns that a text takes on a terminal: wide characters two, combining marks none. */
export function displayWidth(text: string): number {
  if (isPlain(text)) return text.length;
  let width = 0;
  for (const piece of cut(text)) width += stringWidth(piece);
  return width;
}

export function padEnd(text: string, width: number): string {
  return text + ' '.repeat(Math.max(0, width - displayWidth(text)));
}

export function padStart(text: string, width: number): string {
  return ' '.repeat(Math.max(0, width - displayWidth(text))) + text;
}
