import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { KnownEvent } from '../events/index.js';
import { RecentEvents } from './recent-events.js';

const eventAt = (seq: number): KnownEvent => ({ seq, id: `e${seq}` }) as unknown as KnownEvent;

/** A file of events that grows, and counts how often it is read. */
function file() {
  const seqs: number[] = [];
  let reads = 0;
  return {
    seqs,
    reads: () => reads,
    read: (after: number, limit: number): KnownEvent[] => {
      reads += 1;
      return seqs
        .filter((seq) => seq > after)
        .slice(0, limit)
        .map(eventAt);
    },
  };
}

test('gives what the file gives, wherever one stands and whenever it grows', () => {
  const step = fc.oneof(fc.record({ grow: fc.integer({ min: 1, max: 900 }) }), fc.record({ reader: fc.nat(4) }));
  fc.assert(
    fc.property(fc.nat(50), fc.array(step, { maxLength: 60 }), (start, steps) => {
      const { seqs, read } = file();
      for (let seq = 1; seq <= start; seq += 2) seqs.push(seq);
      const recent = new RecentEvents(read, seqs.at(-1) ?? 0);
      const places = [0, 0, seqs.at(-1) ?? 0, seqs.at(-1) ?? 0, 7];
      const got: number[][] = places.map(() => []);
      const readers = [...places];
      const pull = (reader: number): number => {
        const events = recent.after(readers[reader] ?? 0);
        for (const { seq } of events) got[reader]?.push(seq);
        readers[reader] = events.at(-1)?.seq ?? readers[reader] ?? 0;
        return events.length;
      };
      for (const next of steps) {
        if ('reader' in next) pull(next.reader);
        else {
          let last = seqs.at(-1) ?? 0;
          // Numbers may be left out: a transaction that was rolled back took one.
          for (let n = 0; n < next.grow; n += 1) seqs.push((last += 1 + (n % 3 === 0 ? 1 : 0)));
          recent.expect();
        }
      }
      for (const reader of places.keys()) while (pull(reader) > 0);
      places.forEach((place, reader) => {
        expect(got[reader]).toEqual(seqs.filter((seq) => seq > place));
      });
    }),
    { numRuns: 200 },
  );
});

test('two hundred who stand at the end read once what is new, and nothing when there is nothing', () => {
  const { seqs, read, reads } = file();
  const recent = new RecentEvents(read, 0);
  seqs.push(1, 2, 3);
  recent.expect();
  for (let n = 0; n < 200; n += 1) expect(recent.after(0)).toHaveLength(3);
  for (let n = 0; n < 200; n += 1) expect(recent.after(3)).toHaveLength(0);
  expect(reads()).toBe(1);
});
