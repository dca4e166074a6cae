import { describe, expect, test } from '@jest/globals';
import { SILENT, steppedClock } from './test-kernel.js';
import { worker, workerGroup, type StepResult } from './worker.js';

function counted(step: (n: number) => StepResult | Promise<StepResult>, gatherMs?: number) {
  const clock = steppedClock();
  let n = 0;
  const own = worker({
    name: 'test',
    clock,
    log: SILENT,
    ...(gatherMs === undefined ? {} : { gatherMs }),
    step: () => {
      n += 1;
      return step(n);
    },
  });
  return { clock, own, steps: () => n };
}

describe('a worker', () => {
  test('steps once at the start, again when woken, and at its due time', async () => {
    const { clock, own, steps } = counted((n) => ({ did: 1, ...(n === 2 ? { next: 500 } : {}) }));
    own.start();
    await clock.pass(0);
    expect(steps()).toBe(1);
    await clock.pass(10_000_000);
    expect(steps()).toBe(1);
    own.wake();
    await clock.pass(0);
    expect(steps()).toBe(3);
  });

  test('waits for a date', async () => {
    const { clock, own, steps } = counted((n) => ({ did: 1, ...(n === 1 ? { next: 500 } : {}) }));
    own.start();
    await clock.pass(499);
    expect(steps()).toBe(1);
    await clock.pass(1);
    expect(steps()).toBe(2);
  });

  test('never spins: a step that gets nowhere but wants to go on is followed by pauses that grow to a second', async () => {
    const { clock, own, steps } = counted(() => ({ did: 0, next: 'now' }));
    own.start();
    await clock.pass(60_000);
    expect(steps()).toBeLessThan(80);
    expect(steps()).toBeGreaterThan(50);
    // Also when the time that is due has passed already.
    const past = counted(() => ({ did: 0, next: -5 }));
    past.own.start();
    await past.clock.pass(60_000);
    expect(past.steps()).toBeLessThan(80);
  });

  test('goes on at once while it gets somewhere', async () => {
    const { clock, own, steps } = counted((n) => ({ did: 1, ...(n < 1000 ? { next: 'now' as const } : {}) }));
    own.start();
    while (steps() < 1000) await clock.pass(0);
    await clock.pass(0);
    expect(steps()).toBe(1000);
  });

  test('never dies: what throws is tried again after a back-off that grows to a minute, and waking does not shorten it', async () => {
    const { clock, own, steps } = counted((n) => {
      if (n < 12) throw new Error(`fault ${n}`);
      return { did: 1 };
    });
    own.start();
    await clock.pass(0);
    expect([steps(), own.health()]).toEqual([1, { name: 'test', state: 'backing-off', failures: 1, problem: 'fault 1' }]);
    for (let i = 0; i < 100; i += 1) own.wake();
    await clock.pass(499);
    expect(steps()).toBe(1);
    await clock.pass(1);
    expect(steps()).toBe(2);
    await clock.pass(999);
    expect(steps()).toBe(2);
    await clock.pass(10 * 60_000);
    expect([steps(), own.health()]).toEqual([12, { name: 'test', state: 'idle', failures: 0, problem: undefined }]);
    own.wake();
    await clock.pass(0);
    expect(steps()).toBe(13);
  });

  test('a promise that rejects is a fault like one that is thrown', async () => {
    const { clock, own } = counted(() => Promise.reject(new Error('late')));
    own.start();
    await clock.pass(0);
    expect(own.health()).toMatchObject({ state: 'backing-off', problem: 'late' });
  });

  test('never runs twice at once, and forgets no call that came while it ran', async () => {
    let open: () => void = () => undefined;
    const { clock, own, steps } = counted(
      (n) =>
        new Promise((done) => {
          open = () => done({ did: n });
        }),
    );
    own.start();
    await clock.pass(0);
    own.wake();
    own.wake();
    await clock.pass(0);
    expect([steps(), own.busy()]).toEqual([1, true]);
    open();
    await clock.pass(0);
    expect(steps()).toBe(2);
    open();
    await clock.pass(0);
    expect([steps(), own.busy()]).toEqual([2, false]);
  });

  test('calls within a moment are one', async () => {
    const { clock, own, steps } = counted(() => ({ did: 1 }), 250);
    own.start();
    await clock.pass(0);
    for (let i = 0; i < 10; i += 1) {
      own.wake();
      await clock.pass(10);
    }
    expect(steps()).toBe(1);
    await clock.pass(150);
    expect(steps()).toBe(2);
  });

  test('stops: waits for the step under way, begins none after, and not longer than it may', async () => {
    let open: () => void = () => undefined;
    const { clock, own, steps } = counted(
      () =>
        new Promise((done) => {
          open = () => done({ did: 1, next: 'now' });
        }),
    );
    own.start();
    await clock.pass(0);
    let isStopped = false;
    const stopping = own.stop().then(() => (isStopped = true));
    await clock.pass(0);
    expect(isStopped).toBe(false);
    open();
    await stopping;
    await clock.pass(10_000);
    expect([steps(), own.health().state]).toEqual([1, 'stopped']);
    const stuck = counted(() => new Promise(() => undefined));
    stuck.own.start();
    await stuck.clock.pass(0);
    await stuck.own.stop(5);
  });
});

test('a group knows how its workers are, and forgets those that were stopped', async () => {
  const clock = steppedClock();
  const group = workerGroup({ clock, log: SILENT });
  const bad = group.add({
    name: 'bad',
    step: () => {
      throw new Error('no');
    },
  });
  group.add({ name: 'good', step: () => ({ did: 0 }) }).start();
  bad.start();
  await clock.pass(0);
  expect(group.health().map(({ name, state }) => `${name} ${state}`)).toEqual(['bad backing-off', 'good idle']);
  expect(group.busy()).toBe(false);
  await bad.stop();
  expect(group.health().map(({ name }) => name)).toEqual(['good']);
});
