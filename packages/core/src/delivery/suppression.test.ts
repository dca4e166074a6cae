import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { addressKey, causeOf, stateOf, suppressionOf, USUAL_SUPPRESSION, type AddressFact, type Cause } from './index.js';
import { scaled } from '../../../../tests/support/scale.js';

const DAY = 24 * 3_600_000;

function fact(deliveryId: string, kind: AddressFact['kind'], at: number, cause?: Cause, replyCode = 550): AddressFact {
  return {
    id: `${deliveryId}:${kind}:${at}`,
    deliveryId,
    kind,
    source: 'return',
    at,
    cause,
    status: undefined,
    replyCode,
    diagnostic: undefined,
  };
}
const of = (...facts: AddressFact[]) => suppressionOf(facts, USUAL_SUPPRESSION)?.reason;

test('what suppresses at once, after several, or never', () => {
  expect(of(fact('a', 'failed', 1, 'mailbox-unknown'))).toBe('failed');
  // A server that says so for now may say otherwise tomorrow.
  expect(of(fact('a', 'failed', 1, 'mailbox-unknown', 450))).toBeUndefined();
  expect(of(fact('a', 'complained', 1))).toBe('complained');
  for (const cause of ['policy', 'reputation', 'content', 'authentication', 'too-large'] as const)
    expect(of(...[1, 2, 3, 4].map((n) => fact(`d${n}`, 'failed', n * DAY, cause)))).toBeUndefined();
  const full = [0, 1, 2].map((n) => fact(`d${n}`, 'failed', n * DAY, 'mailbox-full'));
  expect(of(...full)).toBe('failed-repeatedly');
  expect(of(...full.slice(0, 2))).toBeUndefined();
  expect(of(...full.map((fact) => ({ ...fact, at: fact.at / 10 })))).toBeUndefined();
  // A success in between resets the count; a hand-over that failed later does not.
  expect(of(...full, fact('s', 'delivered', 1.5 * DAY))).toBeUndefined();
  expect(of(...full, fact('d1', 'accepted', 1.5 * DAY))).toBe('failed-repeatedly');
});

test('a code that servers write for anything is no evidence', () => {
  const failed = (replyCode: number | undefined, status: string | undefined, diagnostic: string | undefined, n = 1): AddressFact => {
    const cause = causeOf({ status, replyCode, diagnostic });
    return { ...fact(`d${n}`, 'failed', n * DAY, cause), replyCode, status, diagnostic };
  };
  for (const [code, status, words] of [
    [550, undefined, undefined],
    [550, undefined, '550'],
    [550, undefined, '550 Requested action not taken'],
    [550, '5.0.0', '550 5.0.0 Requested action not taken'],
    [551, undefined, '551'],
    [552, undefined, '552 Requested mail action aborted'],
    [553, undefined, '553 Requested action not taken'],
    [550, '5.1.9', '550 5.1.9'],
  ] as const)
    expect([code, words, of(...[1, 3, 5, 7].map((n) => failed(code, status, words, n)))]).toEqual([code, words, undefined]);
  expect(of(failed(550, '5.1.1', undefined))).toBe('failed');
  expect(of(failed(550, undefined, '550 no such user here'))).toBe('failed');
  expect(of(...[1, 3, 5].map((n) => failed(552, '5.2.2', '552 5.2.2 mailbox full', n)))).toBe('failed-repeatedly');
  // The provider's own words are not a guess, whatever code comes with them.
  expect(of({ ...failed(550, undefined, undefined), cause: 'mailbox-unknown' })).toBe('failed');
});

test('addresses compare by domain in its ASCII form, and by exact local part', () => {
  expect(addressKey('Ása@Pósthús.example', { anyCase: false })).toBe('Ása@xn--psths-0ta6c.example');
  expect(addressKey('Asa@POST.example', { anyCase: false })).toBe('Asa@post.example');
  expect(addressKey('Asa@POST.example', { anyCase: true })).toBe('asa@post.example');
});

test('a thousand deliveries: any order and repetition of their facts give the same states and the same suppression', () => {
  const kinds = ['accepted', 'delayed', 'relayed', 'delivered', 'failed', 'complained'] as const;
  const causes = ['mailbox-unknown', 'mailbox-full', 'unreachable', 'policy', 'expired'] as const;
  const some = fc.array(
    fc.record({
      deliveryId: fc.integer({ min: 0, max: 9 }).map((n) => `d${n}`),
      kind: fc.constantFrom(...kinds),
      at: fc.integer({ min: 0, max: 9 }).map((n) => n * DAY),
      cause: fc.constantFrom(...causes),
      replyCode: fc.constantFrom(450, 550),
    }),
    { minLength: 1, maxLength: 30 },
  );
  fc.assert(
    fc.property(some, fc.infiniteStream(fc.nat()), (rows, chance) => {
      const facts = rows.map((row) => fact(row.deliveryId, row.kind, row.at, row.kind === 'failed' ? row.cause : undefined, row.replyCode));
      const unique = [...new Map(facts.map((fact) => [fact.id, fact])).values()];
      const shuffled = [...unique, ...unique.filter(() => chance.next().value! % 2 === 0)].sort(() =>
        chance.next().value! % 2 === 0 ? 1 : -1,
      );
      const told = (all: AddressFact[]) => ({
        suppression: suppressionOf(all, USUAL_SUPPRESSION),
        states: [...new Set(all.map((fact) => fact.deliveryId))].sort().map((id) => stateOf(all.filter((fact) => fact.deliveryId === id))),
      });
      expect(told(shuffled)).toEqual(told(unique));
    }),
    { numRuns: scaled(300, 1000) },
  );
});
