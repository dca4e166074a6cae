import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { fairnessKey, type Cause } from '@verbalis/core/delivery';
import { pino } from 'pino';
import { type NewFact } from '../messages/index.js';
import { openTestStore, testDelivery, testMessage, type TestStore } from '../../records/test-store.js';
import { suppressing, type Suppressing } from './suppressing.js';

const DAY = 86_400_000;
const NOW = 400 * DAY;
let store: TestStore;
let own: Suppressing;
beforeEach(async () => {
  store = await openTestStore();
  own = suppressing({
    store: store.store,
    log: pino({ level: 'silent' }),
    plan: { after: 2, spreadMs: 0 },
    anyCase: true,
    master: Buffer.alloc(32),
  });
});
afterEach(() => store.close());

/** A delivery to an address that has failed at a time. */
async function failed(address: string, cause: Cause, at: number): Promise<void> {
  const message = testMessage(at);
  const delivery = testDelivery(message, address);
  const fact: NewFact = {
    id: `${delivery.id}:failed`,
    deliveryId: delivery.id,
    kind: 'failed',
    source: 'return',
    at,
    cause,
    status: undefined,
    replyCode: undefined,
    diagnostic: `said: ${cause}`,
  };
  await store.store.write((tx) => {
    store.store.messages.insert(tx, { message, deliveries: [delivery], idempotency: undefined });
    store.store.deliveries.record(tx, fact, at);
  });
}

const isSuppressed = (address: string): boolean => store.suppressions.inForce('harbour', own.keyOf(address), '') !== undefined;

test('an address that does not exist is suppressed at once, and mail to it is withheld with the reason', async () => {
  await failed('gone@post.example', 'mailbox-unknown', NOW);
  expect(isSuppressed('Gone@POST.example')).toBe(true);
  const key = fairnessKey({ urgent: true, space: 'harbour', kept: false, topic: 'bookings' });
  expect(own.suppressionFor({ space: 'harbour', address: 'gone@post.example', fairnessKey: key }, store.store.reads)).toMatch(
    /^The address has been suppressed since .*said: mailbox-unknown$/,
  );
});

test.each(['policy', 'reputation', 'content', 'authentication', 'too-large'] as const)(
  '%s is the sender’s fault: it says nothing about the recipient',
  async (cause) => {
    for (let i = 0; i < 5; i += 1) await failed('fine@post.example', cause, NOW + i);
    expect(isSuppressed('fine@post.example')).toBe(false);
  },
);

test('failures count together within ninety days, and older ones do not', async () => {
  // A full mailbox suppresses only when it fails again.
  await failed('full@post.example', 'mailbox-full', NOW);
  expect(isSuppressed('full@post.example')).toBe(false);
  await failed('full@post.example', 'mailbox-full', NOW + 89 * DAY);
  expect(isSuppressed('full@post.example')).toBe(true);

  await failed('rare@post.example', 'mailbox-full', NOW + 100 * DAY);
  await failed('rare@post.example', 'mailbox-full', NOW + 191 * DAY);
  expect(isSuppressed('rare@post.example')).toBe(false);
});

test('a transaction that was undone leaves no suppression', async () => {
  const undone = store.store.write((tx) => {
    own.add(tx, { space: 'harbour', address: 'a@post.example', reason: 'added' }, NOW);
    throw new Error('no');
  });
  await expect(undone).rejects.toThrow('no');
  expect(isSuppressed('a@post.example')).toBe(false);
});
