import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { Callbacks } from '../providers/index.js';
import { eventsOf, rawEvents } from './events.js';

// Calls come from outside: whatever is in them, reading ends in events or in a sentence.

const SIGNATURE = { kind: 'secret', header: 'x', value: 'known to both' } as const;
const profile = (events: string, path = '$.id'): Callbacks =>
  Callbacks.parse({
    signature: SIGNATURE,
    events,
    fields: { id: path, type: [path, '$.what'], mail: path, at: path, code: path, status: path, reason: path },
    words: { arrived: 'delivered' },
  });

const PATHS = ['$', '$.events', '$.events[*]', '$[*]', '$..event', '$.a.b[0]', "$['a b']", '$.*', '$[0][0]', '$..*'];

test.each(PATHS)('%s: any body is read, or refused in a sentence', (path) => {
  const reading = profile(path, path === '$' ? '$.id' : path);
  fc.assert(
    fc.property(fc.jsonValue({ maxDepth: 12 }), (body) => {
      try {
        for (const event of eventsOf(reading, body)) {
          expect(typeof event.id).toBe('string');
          expect(event.at === undefined || Number.isInteger(event.at)).toBe(true);
        }
      } catch (error) {
        expect((error as Error).message).toContain('finds nothing in this call');
      }
    }),
    { numRuns: process.env['CI'] === undefined ? 300 : 2000 },
  );
});

test.each(['$..a..b', '$[?(@.price < 10)]', '$[(@.length-1)]', '$.a[0:9]', '$.a~', '$.a^', '$`a', 'events', '$.', `$${'.a'.repeat(300)}`])(
  '%s is not a path of a profile',
  (path) => {
    expect(Callbacks.safeParse({ signature: SIGNATURE, events: path, fields: { type: '$.what' }, words: {} }).success).toBe(false);
  },
);

test('what is nested deeper than a stack is refused like what has no events', () => {
  let deep: unknown = [];
  for (let i = 0; i < 100_000; i += 1) deep = [deep];
  for (const path of ['$..event', '$.events[*]', '$[*][*]']) {
    let count = 0;
    try {
      count = rawEvents(profile(path), deep).length;
    } catch (error) {
      expect(error).toBeInstanceOf(Error);
    }
    expect(count).toBeLessThanOrEqual(1);
  }
});
