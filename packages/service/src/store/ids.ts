import { randomBytes } from 'node:crypto';

// Crockford's base32 in small letters: no signs that are mistaken for one another, and it survives a change of case.
const SIGNS = '0123456789abcdefghjkmnpqrstvwxyz';

/** Random bytes are taken in store: asking for a few costs as much as for many. */
let stock: Buffer = Buffer.alloc(0);
function chance(count: number): Buffer {
  if (stock.length < count) stock = randomBytes(4096);
  const taken = stock.subarray(0, count);
  stock = stock.subarray(count);
  return taken;
}

let lastTime = 0;
let lastRandom: number[] = [];

/**
 * An id that sorts by the time it was made, also within a millisecond: a letter for its kind, 10 signs of time, 14 of chance.
 * @param at milliseconds since the epoch
 */
export function newId(kind: 'm' | 'd' | 'a' | 'r' | 'k' | 'c' | 'u' | 's' | 'b' | 'l' | 'e' | 'n' | 'w' | 'g' | 'q', at: number): string {
  if (at > lastTime) {
    lastTime = at;
    lastRandom = [...chance(14)].map((byte) => byte & 31);
  } else {
    // Within the same millisecond (or when the clock went back): one more than the last.
    let i = lastRandom.length - 1;
    while (i >= 0 && lastRandom[i] === 31) lastRandom[i--] = 0;
    if (i >= 0) lastRandom[i] = (lastRandom[i] ?? 0) + 1;
  }
  return idSince(kind, lastTime) + lastRandom.map((value) => SIGNS[value] ?? '').join('');
}

/** What ids of this kind begin with that were made at a time; those made later sort after it. */
export function idSince(kind: string, at: number): string {
  let time = '';
  for (let left = Math.max(0, at), i = 0; i < 10; i += 1, left = Math.floor(left / 32)) time = (SIGNS[left % 32] ?? '') + time;
  return kind + time;
}
