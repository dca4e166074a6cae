import { expect, test } from '@jest/globals';
import { openTestStore } from '../../records/test-store.js';
import type { NotificationRow } from './queries.js';

const row = (seq: number, more: Partial<NotificationRow> = {}): NotificationRow => ({
  subscriptionId: 'b1',
  seq,
  state: 'waiting',
  orderKey: `d${seq % 2}`,
  attempts: 1,
  nextAt: seq * 10,
  lastAt: 1,
  status: 500,
  problem: null,
  milliseconds: 3,
  ...more,
});
test('wait in order by line, become dead letters and are sent again', async () => {
  const store = await openTestStore();
  for (const notification of [
    row(1),
    row(2),
    row(3, { attempts: 2 }),
    row(4, { state: 'delivered', nextAt: null }),
    row(5, { state: 'dead-letter', nextAt: null }),
    row(6, { state: 'dead-letter', nextAt: null }),
  ])
    await store.subscriptions.note(notification);
  expect([...store.subscriptions.heads('b1')].sort()).toEqual([
    ['d0', { seq: 2, dueAt: 20, attempts: 1, waitMs: 19 }],
    ['d1', { seq: 1, dueAt: 10, attempts: 1, waitMs: 9 }],
  ]);
  await store.subscriptions.note(row(1, { state: 'delivered', nextAt: null }));
  expect(store.subscriptions.head('b1', 'd1')).toEqual({ seq: 3, dueAt: 30, attempts: 2, waitMs: 29 });
  expect(store.subscriptions.head('b1', 'd9')).toBeUndefined();
  expect(store.subscriptions.counts('b1')).toEqual({ waiting: 2, delivered: 2, 'dead-letter': 2 });
  expect(await store.subscriptions.again('b1', [6], 100)).toBe(1);
  expect(await store.subscriptions.again('b1', undefined, 100)).toBe(1);
  expect(await store.subscriptions.again('b1', undefined, 100)).toBe(0);
  expect(await store.subscriptions.forget(4, 10)).toBe(2);
  expect(store.subscriptions.notifications('b1', { limit: 10 }).map((notification) => notification.seq)).toEqual([6, 5, 3, 2]);
});

test('waits that lie ahead because the clock was set back go on for as long as they were meant to', async () => {
  const store = await openTestStore();
  const DAY = 86_400_000;
  for (const notification of [
    row(1, { nextAt: DAY + 1030, lastAt: DAY + 1000 }),
    row(2, { nextAt: DAY, lastAt: null, attempts: 0 }),
    row(3, { nextAt: 2000, lastAt: 900 }),
    row(4, { nextAt: 500, lastAt: 400 }),
    row(5, { state: 'delivered', nextAt: null, lastAt: DAY }),
  ])
    await store.subscriptions.note(notification);
  expect(await store.store.write((tx) => store.store.subscriptions.moveWaits(tx, 1000))).toBe(2);
  const found = store.subscriptions.notifications('b1', { limit: 10 }).map(({ seq, nextAt }) => [seq, nextAt]);
  expect(found).toEqual([
    [5, null],
    [4, 500],
    [3, 2000],
    [2, 1000],
    [1, 1030],
  ]);
});
