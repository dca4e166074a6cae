import { encodeTime, monotonicFactory } from 'ulid';

const TIME_LENGTH = 10;
const next = monotonicFactory();

/**
 * An id that sorts by the time it was made, also within a millisecond and when the clock goes back: a letter for its kind, and a ULID in
 * small letters.
 * @param at milliseconds since the epoch
 */
export function newId(kind: 'm' | 'd' | 'a' | 'r' | 'k' | 'c' | 'u' | 's' | 'b' | 'l' | 'e' | 'n' | 'w' | 'g' | 'q', at: number): string {
  return kind + next(Math.floor(at)).toLowerCase();
}

/** What ids of this kind begin with that were made at a time; those made later sort after it. */
export function idSince(kind: string, at: number): string {
  return kind + encodeTime(Math.max(0, Math.floor(at)), TIME_LENGTH).toLowerCase();
}
