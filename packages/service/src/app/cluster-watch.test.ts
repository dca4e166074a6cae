import { expect, test } from '@jest/globals';
import type { Member } from '../features/cluster/index.js';
import { clusterWatch } from './cluster-watch.js';

const member = (more: Partial<Member>): Member => ({
  node: 'b',
  role: 'standby',
  version: '0.1.0',
  seq: 7,
  lagRecords: 0,
  lagMs: 0,
  takesOver: true,
  at: 0,
  ...more,
});

function watched() {
  let now = 0;
  let changes = 0;
  let brokers: number | null = 3;
  const clock = { elapsed: () => now } as Parameters<typeof clusterWatch>[0]['clock'];
  const watch = clusterWatch({
    clock,
    changed: () => (changes += 1),
    look: () => (brokers === null ? Promise.reject(new Error('timeout')) : Promise.resolve({ replicas: 3, present: brokers })),
  });
  return {
    watch,
    /** Looks again after so many seconds. @returns what is wrong, and how many changes were reported */
    after: async (seconds: number, members: readonly Member[], present: number | null = 3) => {
      now += seconds * 1000;
      brokers = present;
      await watch.note(members);
      return [watch.trouble(), changes] as const;
    },
  };
}

test('a standby that is restarted is no trouble; one that stays away is, until it is back', async () => {
  const { after } = watched();
  const standby = member({});
  expect(await after(0, [])).toEqual([undefined, 0]);
  expect(await after(10, [standby])).toEqual([undefined, 0]);
  expect(await after(10, [])).toEqual([undefined, 0]);
  expect(await after(29, [])).toEqual([undefined, 0]);
  expect(await after(1, [])).toEqual([expect.stringContaining('No standby could take over'), 1]);
  expect(await after(100, [])).toEqual([expect.stringContaining('No standby could take over'), 1]);
  expect(await after(1, [standby])).toEqual([undefined, 2]);
});

test.each([
  ['one that only follows', { takesOver: false }, 'No standby'],
  ['one that is drained', { role: 'drained' as const }, 'No standby'],
  ['one that is starting', { role: 'starting' as const }, 'No standby'],
  ['one that is far behind', { lagMs: 31_000, lagRecords: 12 }, 'The standby b is 12 records (31 s) behind.'],
])('%s could not take over', async (_name, more, text) => {
  const { after } = watched();
  await after(0, [member(more)]);
  expect((await after(31, [member(more)]))[0]).toContain(text);
  expect((await after(1, [member(more), member({ node: 'c' })]))[0]).toBeUndefined();
});

test('a node that is the primary no more knows nothing of standbys', async () => {
  const { watch, after } = watched();
  await after(0, []);
  expect((await after(31, []))[0]).toBeDefined();
  watch.reset();
  expect([watch.trouble(), watch.members()]).toEqual([undefined, []]);
});

test('a broker that is restarted is no trouble; one that stays away is, until all have the log again', async () => {
  const { after } = watched();
  const standby = member({});
  const trouble = '2 of 3 brokers have the log. If another one is lost, nothing is accepted.';
  await after(0, [standby]);
  expect(await after(6, [standby], 2)).toEqual([undefined, 0]);
  expect(await after(6, [standby])).toEqual([undefined, 0]);
  expect(await after(6, [standby], 2)).toEqual([undefined, 0]);
  // It is not looked up at each step; and where nobody answers, what was known holds.
  expect(await after(1, [standby])).toEqual([undefined, 0]);
  expect(await after(30, [standby], null)).toEqual([trouble, 1]);
  expect(await after(6, [standby])).toEqual([undefined, 2]);
});
