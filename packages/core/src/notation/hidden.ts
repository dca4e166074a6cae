import type { Insertion } from './expression.js';

// An insertion is hidden from the Markdown parser behind noncharacters (Unicode 23.7), which no mail may hold. They are neither
// space nor punctuation, so emphasis beside a value works as beside a word. The hidden form has the same length as the original,
// so every offset that the parser reports is an offset in the source.
const OPEN = '\uFDD0';
const CLOSE = '\uFDD1';
const ZERO = 0xfdd2;
/** How many values one hidden character can have. */
export const BASE = 30;
/** A hidden insertion in a text. */
export const HIDDEN = /\uFDD0([\uFDD2-\uFDEF]+)\uFDD1/g;
export const NONCHARACTER = /[\uFDD0-\uFDEF]/;

/** What a hidden form stands for. */
export type Hidden = { readonly kind: 'braces' } | { readonly kind: 'insertion'; readonly insertion: Insertion };

/** The hidden form of the insertion with this index, as long as the original. */
export function hide(index: number, length: number): string {
  let digits = '';
  for (let left = index, i = 0; i < length - 2; i += 1, left = Math.floor(left / BASE)) {
    digits = String.fromCharCode(ZERO + (left % BASE)) + digits;
  }
  return OPEN + digits + CLOSE;
}

/** The index that the characters of a hidden form stand for. */
export function shown(digits: string): number {
  let index = 0;
  for (const digit of digits) index = index * BASE + digit.charCodeAt(0) - ZERO;
  return index;
}
