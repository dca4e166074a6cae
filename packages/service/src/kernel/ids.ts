import { randomFillSync } from 'node:crypto';
import { decodeTime, encodeTime, monotonicFactory } from 'ulid';

const TIME_LENGTH = 10;
// Many at once: asking for a few random bytes costs as much as asking for many.
const random = new Uint32Array(4096);
let used = random.length;
const newSource = () =>
  monotonicFactory(() => {
    if (used === random.length) {
      randomFillSync(random);
      used = 0;
    }
    const value = (random[used] ?? 0) / 2 ** 32;
    used += 1;
    return value;
  });
let next = newSource();

/** Lets the next id be of an earlier time than the last one, as in a new process. For tests, whose suites share one. */
export function forgetIds(): void {
  next = newSource();
}

/**
 * An id that sorts by the time it was made, also within a millisecond and when the clock goes back: a letter for its kind, and a ULID in
 * small letters.
 * @param at milliseconds since the epoch
 */
export function newId(
  kind:
    | 'm'
    | 'd'
    | 'a'
    | 'r'
    | 'k'
    | 'c'
    | 'u'
    | 's'
    | 'b'
    | 'l'
    | 'e'
    | 'n'
    | 'w'
    | 'g'
    | 'q'
    | 'h'
    | 'o'
    | 'i'
    | 't'
    | 'j'
    | 'p'
    | 'y'
    | 'x'
    | 'v'
    | 'f'
    | 'z',
  at: number,
): string {
  return kind + next(Math.floor(at)).toLowerCase();
}

/** What ids of this kind begin with that were made at a time; those made later sort after it. */
export function idSince(kind: string, at: number): string {
  return kind + encodeTime(Math.max(0, Math.floor(at)), TIME_LENGTH).toLowerCase();
}

/** When an id was made, in milliseconds since the epoch. */
export function idTime(id: string): number {
  return decodeTime(id.slice(1).toUpperCase());
}
