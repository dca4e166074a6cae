import { afterEach, expect, test } from '@jest/globals';
import { steppedClock } from '../../kernel/test-kernel.js';
import { openTestStore, testDelivery, testMessage, type TestStore } from '../../records/test-store.js';
import { holding } from './holding.js';

const opened: TestStore[] = [];
afterEach(async () => {
  for (const store of opened.splice(0)) await store.close();
});

/** A store in which so many deliveries wait; the first belongs to a label. */
async function waiting(n: number) {
  const clock = steppedClock(1_000_000);
  const own = await openTestStore(clock);
  opened.push(own);
  const { store } = own;
  const ids: string[] = [];
  for (let i = 0; i < n; i += 1) {
    const message = testMessage(clock.now(), { labels: i === 0 ? { port: 'vagur' } : {} });
    const delivery = testDelivery(message, `guest${i}@post.example`);
    ids.push(delivery.id);
    await store.write((tx) => store.messages.insert(tx, { message, deliveries: [delivery], idempotency: undefined }));
  }
  const make = () => holding({ store, clock, wake: () => undefined });
  const row = (id: string | undefined) => store.deliveries.find(id ?? '')!;
  return { store, clock, ids, make, row };
}

test('a hold is in force again after a restart, and knows what it holds', async () => {
  const { ids, make, row } = await waiting(3);
  const { row: hold, held } = await make().hold('harbour', { template: 'booking-confirmed' }, 'why');
  expect(held).toBe(3);
  const fresh = make();
  expect(fresh.heldBy(row(ids[0]))).toBe(hold.id);
  expect(fresh.reasonOf(row(ids[0]))).toBe(`it is held (${hold.id}: why)`);
  expect(fresh.memory()).toEqual({ holds: [hold.id] });
});

test('a release that a crash has cut short goes on at the next start', async () => {
  const { store, ids, make, row } = await waiting(1200);
  const { row: hold } = await make().hold('harbour', {}, undefined);
  // All that was written before the crash: it is over, and a part was released.
  await store.write((tx) => {
    store.holds.release(tx, hold.id);
    store.deliveries.letGo(tx, hold.id, { most: 500, now: 1_000_000 });
  });
  const fresh = make();
  expect(fresh.heldBy(row(ids[0]))).toBeUndefined();
  expect(row(ids.at(-1))).toMatchObject({ heldBy: hold.id, nextAttemptAt: null });
  await fresh.resume();
  expect(row(ids.at(-1))).toMatchObject({ heldBy: null, heldFrom: null, nextAttemptAt: 1_000_000 });
  expect(store.holds.all()).toEqual([]);
});

test('what is held settles by itself when its provider reports on it', async () => {
  const { store, ids, make, row } = await waiting(1);
  await make().hold('harbour', {}, undefined);
  const delivered = { id: 'x', deliveryId: ids[0]!, kind: 'delivered', source: 'return', at: 2_000_000 } as const;
  const bare = { cause: undefined, status: undefined, replyCode: undefined, diagnostic: undefined };
  await store.write((tx) => store.deliveries.record(tx, { ...delivered, ...bare }, 2_000_000));
  expect(row(ids[0])).toMatchObject({ state: 'delivered', heldBy: null, heldFrom: null });
});

test('what waits for its time waits for it after a release, and another time can be set meanwhile', async () => {
  const { store, ids, make, row } = await waiting(2);
  await store.write((tx) => store.deliveries.reschedule(tx, ids[0]!, 9_000_000));
  const own = make();
  const { row: hold } = await own.hold('harbour', {}, undefined);
  expect(await store.write((tx) => store.deliveries.reschedule(tx, ids[1]!, 8_000_000))).toBe(true);
  expect(row(ids[1])).toMatchObject({ heldBy: hold.id, nextAttemptAt: null });
  await own.release([hold]);
  expect([row(ids[0]).nextAttemptAt, row(ids[1]).nextAttemptAt]).toEqual([9_000_000, 8_000_000]);
});

test('another hold that means the same keeps it', async () => {
  const { ids, make, row } = await waiting(2);
  const own = make();
  const { row: all } = await own.hold('harbour', {}, undefined);
  const { row: labelled, held } = await own.hold('harbour', { labels: { port: 'vagur' } }, undefined);
  expect(held).toBe(0);
  await own.release([all]);
  expect(own.heldBy(row(ids[0]))).toBe(labelled.id);
  expect(own.heldBy(row(ids[1]))).toBeUndefined();
});
