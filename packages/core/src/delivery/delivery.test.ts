import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  CAUSE_TABLE,
  CAUSES,
  meaningOf,
  causeOf,
  FACT_KINDS,
  isSettled,
  stateOf,
  describeDelivery,
  USUAL_RETRIES,
  waitAfter,
  type Fact,
  type FactKind,
  type FactSource,
} from './index.js';
import { scaled } from '../../../../tests/support/scale.js';

const fact = (kind: FactKind, source: FactSource = 'attempt', at = 0): Fact => ({
  id: `${kind}-${source}-${at}`,
  kind,
  source,
  at,
  cause: undefined,
  status: undefined,
  replyCode: undefined,
  diagnostic: undefined,
});
const anyFact = fc
  .tuple(fc.constantFrom(...FACT_KINDS), fc.constantFrom<FactSource>('attempt', 'return', 'service'), fc.nat(5))
  .map((parts) => fact(...parts));

group('the state follows from the set of facts', () => {
  test('any order and any repetition give the same state', () => {
    fc.assert(
      fc.property(fc.array(anyFact, { maxLength: 8 }), fc.infiniteStream(fc.nat()), (facts, numbers) => {
        const shuffled = [...facts, ...facts.slice(0, 3)]
          .map((fact) => ({ one: fact, key: numbers.next().value as number }))
          .sort((a, b) => a.key - b.key)
          .map(({ one }) => one);
        expect(stateOf(shuffled)).toBe(stateOf(facts));
        const story = (list: Fact[]) => describeDelivery({ address: 'a@b.example', createdAt: 0, facts: list, nextAttemptAt: undefined });
        expect(story(shuffled)).toEqual(story(facts));
      }),
      { numRuns: scaled(300, 1000) },
    );
  });
  const cases: [Fact[], string][] = [
    [[], 'queued'],
    [[fact('delayed')], 'delayed'],
    [[fact('delayed'), fact('accepted', 'attempt', 2)], 'accepted'],
    [[fact('accepted'), fact('delayed', 'return')], 'delayed'],
    [[fact('accepted'), fact('relayed', 'return')], 'accepted'],
    [[fact('accepted'), fact('delivered', 'return')], 'delivered'],
    [[fact('delivered', 'return'), fact('failed', 'return')], 'failed'],
    [[fact('failed'), fact('delivered', 'return')], 'delivered'],
    [[fact('failed', 'return'), fact('complained', 'return')], 'complained'],
    [[fact('canceled', 'service'), fact('accepted')], 'accepted'],
    [[fact('expired', 'service'), fact('delayed')], 'expired'],
    [[fact('withheld', 'service')], 'withheld'],
  ];
  test.each(cases)('%#', (facts, state) => {
    expect(stateOf(facts)).toBe(state);
  });
  test('a delay told by a later server is not attempted again', () => {
    expect(isSettled([fact('delayed')])).toBe(false);
    expect(isSettled([fact('accepted'), fact('delayed', 'return')])).toBe(true);
  });
});

group('causes', () => {
  const cases: [string | undefined, number | undefined, string, string][] = [
    ['5.1.1', 550, 'anything', 'mailbox-unknown'],
    [undefined, 550, '550 No such user here', 'mailbox-unknown'],
    ['5.0.0', 550, '550 user unknown', 'mailbox-unknown'],
    ['5.7.1', 550, 'Recipient address rejected: User unknown in virtual mailbox table', 'mailbox-unknown'],
    ['5.2.2', 552, 'over quota', 'mailbox-full'],
    ['4.2.2', 452, 'mailbox full', 'mailbox-full'],
    ['5.2.1', 550, 'mailbox disabled', 'mailbox-disabled'],
    ['5.4.4', undefined, 'Host or domain name not found. Name service error for name=x.example type=MX: Host not found', 'domain-unknown'],
    ['4.7.1', 451, 'Greylisted, please come back later', 'rate-or-greylist'],
    ['4.4.1', undefined, 'connect to x[192.0.2.1]:25: Connection timed out', 'unreachable'],
    ['5.3.4', 552, 'message size exceeds limit', 'too-large'],
    ['5.7.26', 550, 'this mail is unauthenticated', 'authentication'],
    ['5.7.1', 554, 'blocked using a blocklist', 'reputation'],
    ['5.7.1', 550, 'Message rejected as spam', 'content'],
    ['5.7.1', 554, '<x>: Relay access denied', 'unroutable'],
    ['5.4.6', undefined, 'mail for x loops back to myself', 'loop'],
    ['5.7.0', 550, 'forbidden', 'policy'],
    [undefined, undefined, '', 'other'],
    [undefined, 421, 'busy', 'rate-or-greylist'],
  ];
  test.each(cases)('%s %s %j', (status, replyCode, diagnostic, cause) => {
    expect(causeOf({ status, replyCode, diagnostic })).toBe(cause);
  });
  test('every cause has one row, and what the sender did wrong suppresses nobody', () => {
    expect(CAUSE_TABLE.map((row) => row.cause).sort()).toEqual([...CAUSES].sort());
    for (const row of CAUSE_TABLE)
      if (['policy', 'reputation', 'content', 'authentication', 'too-large'].includes(row.cause)) expect(row.suppresses).toBe('never');
  });
});

test('waits grow to their bound, spread by a quarter, and end', () => {
  const waits = Array.from({ length: USUAL_RETRIES.attempts - 1 }, (_, i) => waitAfter(USUAL_RETRIES, i + 1, undefined, 0.5)!);
  expect(waits[0]).toBe(5000);
  expect([...waits].sort((a, b) => a - b)).toEqual(waits);
  expect(waits.at(-1)).toBe(4 * 3_600_000);
  expect(waitAfter(USUAL_RETRIES, 1, 'rate-or-greylist', 0)).toBe(225_000);
  expect(waitAfter(USUAL_RETRIES, USUAL_RETRIES.attempts, undefined, 0.5)).toBeUndefined();
});

test('a failure is told in words, with what to do', () => {
  const failed: Fact = { ...fact('failed', 'return', 5), cause: 'mailbox-unknown' };
  expect(describeDelivery({ address: 'a@b.example', createdAt: 0, facts: [fact('accepted'), failed], nextAttemptAt: undefined })).toEqual({
    sentence: 'The email to a@b.example could not be delivered, after the provider had accepted it: there is no such mailbox.',
    advice: expect.stringContaining('right address'),
  });
});

test('the status of an HTTP answer is not a reply code of SMTP: a refusal by 422 is for good', () => {
  const reply = { code: 422, enhanced: undefined, lines: ['no such user'] };
  const meaning = meaningOf({ kind: 'refused', phase: 'answer', reply });
  expect(meaning).toMatchObject({ result: 'failed', cause: 'mailbox-unknown', replyCode: undefined, diagnostic: '422 no such user' });
  expect(meaningOf({ kind: 'refused', phase: 'recipient', reply: { ...reply, code: 550 } }).replyCode).toBe(550);
});
