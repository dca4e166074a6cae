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
    ['d0', { seq: 2, dueAt: 20, attempts: 1 }],
    ['d1', { seq: 1, dueAt: 10, attempts: 1 }],
  ]);
  await store.subscriptions.note(row(1, { state: 'delivered', nextAt: null }));
  expect(store.subscriptions.head('b1', 'd1')).toEqual({ seq: 3, dueAt: 30, attempts: 2 });
  expect(store.subscriptions.head('b1', 'd9')).toBeUndefined();
  expect(store.subscriptions.counts('b1')).toEqual({ waiting: 2, delivered: 2, 'dead-letter': 2 });
  expect(await store.subscriptions.again('b1', [6], 100)).toBe(1);
  expect(await store.subscriptions.again('b1', undefined, 100)).toBe(1);
  expect(await store.subscriptions.again('b1', undefined, 100)).toBe(0);
  expect(await store.subscriptions.forget(4, 10)).toBe(2);
  expect(store.subscriptions.notifications('b1', { limit: 10 }).map((notification) => notification.seq)).toEqual([6, 5, 3, 2]);
});
