import { expect, test } from '@jest/globals';
import type { Member } from '../features/cluster/index.js';
import { standbyWatch } from './standby-watch.js';

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
  const clock = { elapsed: () => now } as Parameters<typeof standbyWatch>[0];
  const watch = standbyWatch(clock, () => (changes += 1));
  return {
    watch,
    /** Looks again after so many seconds. @returns what is wrong, and how many changes were reported */
    after: (seconds: number, members: readonly Member[]) => {
      now += seconds * 1000;
      watch.note(members);
      return [watch.trouble(), changes] as const;
    },
  };
}

test('a standby that is restarted is no trouble; one that stays away is, until it is back', () => {
  const { after } = watched();
  const standby = member({});
  expect(after(0, [])).toEqual([undefined, 0]);
  expect(after(10, [standby])).toEqual([undefined, 0]);
  expect(after(10, [])).toEqual([undefined, 0]);
  expect(after(29, [])).toEqual([undefined, 0]);
  expect(after(1, [])).toEqual([expect.stringContaining('No standby could take over'), 1]);
  expect(after(100, [])).toEqual([expect.stringContaining('No standby could take over'), 1]);
  expect(after(1, [standby])).toEqual([undefined, 2]);
});

test.each([
  ['one that only follows', { takesOver: false }, 'No standby'],
  ['one that is drained', { role: 'drained' as const }, 'No standby'],
  ['one that is starting', { role: 'starting' as const }, 'No standby'],
  ['one that is far behind', { lagMs: 31_000, lagRecords: 12 }, 'The standby b is 12 records (31 s) behind.'],
])('%s could not take over', (_name, more, text) => {
  const { after } = watched();
  after(0, [member(more)]);
  expect(after(31, [member(more)])[0]).toContain(text);
  expect(after(1, [member(more), member({ node: 'c' })])[0]).toBeUndefined();
});

test('a node that is the primary no more knows nothing of standbys', () => {
  const { watch, after } = watched();
  after(0, []);
  expect(after(31, [])[0]).toBeDefined();
  watch.reset();
  expect([watch.trouble(), watch.members()]).toEqual([undefined, []]);
});
