import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { addressKey, stateOf, suppressionOf, USUAL_SUPPRESSION, type AddressFact, type Cause } from './index.js';

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
  // A success between begins anew; a hand-over that failed later is none.
  expect(of(...full, fact('s', 'delivered', 1.5 * DAY))).toBeUndefined();
  expect(of(...full, fact('d1', 'accepted', 1.5 * DAY))).toBe('failed-repeatedly');
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
    { numRuns: 1000 },
  );
});
