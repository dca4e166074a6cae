import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { decidingConsent, type ConsentFact } from './index.js';

const facts = fc.array(
  fc.record({ id: fc.stringMatching(/^[a-z]{3}$/), kind: fc.constantFrom<ConsentFact['kind']>('left', 'rejoined'), at: fc.nat(4) }),
  { maxLength: 12 },
);

test('any order and repetition of facts gives the same consent', () => {
  const shuffled = facts.chain((all) =>
    fc.tuple(fc.constant(all), fc.shuffledSubarray([...all, ...all.slice(0, 3)], { minLength: all.length })),
  );
  fc.assert(
    fc.property(shuffled, ([all, others]) => {
      fc.pre(all.every((fact) => others.includes(fact)));
      expect(decidingConsent(others)?.kind).toBe(decidingConsent(all)?.kind);
    }),
  );
});

test('the latest decides, and of two at once the one that leaves', () => {
  expect(decidingConsent<ConsentFact>([])).toBeUndefined();
  const left = { id: 'a', kind: 'left', at: 2 } as const;
  const rejoined = { id: 'b', kind: 'rejoined', at: 2 } as const;
  expect(decidingConsent([rejoined, left])).toBe(left);
  expect(decidingConsent([left, { ...rejoined, at: 3 }])?.kind).toBe('rejoined');
  expect(decidingConsent([left, { ...rejoined, at: 1 }])?.kind).toBe('left');
});
