import fc from 'fast-check';
import { takeInTurn } from './fairness.js';
import { fairnessKey, readFairnessKey } from './index.js';

/** Keys with so many deliveries each; records what was taken. */
function queue(waiting: Readonly<Record<string, number>>) {
  const left = new Map(Object.entries(waiting));
  const taken: string[] = [];
  return {
    keys: [...left.keys()],
    taken,
    take: (key: string, most: number) => {
      const used = Math.min(most, left.get(key) ?? 0);
      left.set(key, (left.get(key) ?? 0) - used);
      for (let n = 0; n < used; n += 1) taken.push(key);
      return { used, hasMore: used === most };
    },
  };
}

const counts = (taken: readonly string[]): Record<string, number> =>
  Object.fromEntries([...new Set(taken)].map((key) => [key, taken.filter((other) => other === key).length]));

test('a fairness key reads back as what it was made of, whatever the topic', () => {
  fc.assert(
    fc.property(
      fc.boolean(),
      fc.boolean(),
      fc.option(
        fc.string({ minLength: 1 }).filter((text) => !text.startsWith('/')),
        { nil: undefined },
      ),
      (urgent, kept, topic) => {
        const fairness = { urgent, space: 'harbour', kept, topic };
        expect(readFairnessKey(fairnessKey(fairness))).toEqual(fairness);
      },
    ),
  );
});

test('a long queue gets an equal part, and what short ones leave', () => {
  const { keys, take, taken } = queue({ long: 1000, short: 1, middle: 4 });
  expect(takeInTurn(keys, 12, take)).toBe(12);
  expect(counts(taken)).toEqual({ long: 7, short: 1, middle: 4 });
});

test('slots that nobody needs stay free, and a round that uses none ends it', () => {
  const { keys, take } = queue({ one: 2, other: 1 });
  expect(takeInTurn(keys, 10, take)).toBe(3);
  let rounds = 0;
  const closed = takeInTurn(['closed'], 5, () => {
    rounds += 1;
    return { used: 0, hasMore: true };
  });
  expect({ closed, rounds }).toEqual({ closed: 0, rounds: 1 });
});

test('no slot is used twice and none is left while someone waits', () => {
  fc.assert(
    fc.property(fc.array(fc.nat(30), { maxLength: 12 }), fc.nat(100), (sizes, slots) => {
      const waiting = Object.fromEntries(sizes.map((size, n) => [`key ${n}`, size]));
      const { keys, take, taken } = queue(waiting);
      const total = sizes.reduce((sum, size) => sum + size, 0);
      expect(takeInTurn(keys, slots, take)).toBe(taken.length);
      expect(taken.length).toBe(Math.min(slots, total));
    }),
  );
});
