import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { linkFolder } from '@verbalis/core/folder';
import { compileSchedules, type Schedule } from '@verbalis/core/schedules';
import fc from 'fast-check';
import { Registry } from 'prom-client';
import { scaled } from '../../../../../tests/support/scale.js';
import { Refusal, StoreUnavailable, type Tx } from '../../kernel/index.js';
import { handWorkers, SILENT, steppedClock } from '../../kernel/test-kernel.js';
import { openTestStore, type TestStore } from '../../records/test-store.js';
import { scheduleEngine } from './engine.js';
import type { RunRow } from './queries.js';

const MINUTE = 60_000;
const LATE = 10 * MINUTE;
const at = (text: string): number => Date.parse(text);

function scheduled(times: string): Schedule {
  const files = {
    'mail.yaml': 'name: Ferries\n',
    'templates/news/message.md': '---\nsubject: News\n---\n\nNews.\n',
    'templates/news/data.schema.json': '{"type":"object"}',
    'schedules/weekly.yaml': `${times}\ntemplate: news\nrecipientSource: { list: [asa@post.example] }\n`,
  };
  const { schedules, problems } = compileSchedules(
    linkFolder(new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)]))),
  );
  const schedule = schedules.get('weekly');
  if (schedule === undefined) throw new Error(JSON.stringify(problems));
  return schedule;
}

let opened: TestStore;
beforeAll(async () => {
  opened = await openTestStore(steppedClock(0));
});
afterAll(() => opened.close());
let spaces = 0;

/** A service that has one schedule, whose clock and life the test has in hand. */
function service(start: string, times: string) {
  spaces += 1;
  const space = `space${spaces}`;
  const { store } = opened;
  let now = at(start);
  let schedule: Schedule | undefined = scheduled(times);
  let edition = 1;
  const begun: number[] = [];
  const state = { isBroken: false, isKilled: false };
  const clock = { ...steppedClock(0), now: () => now };
  const fakes = { ...store, editions: { ...store.editions, currentNumber: () => edition } };
  const open = () => {
    const hands = handWorkers();
    const engine = scheduleEngine({
      store: fakes,
      clock,
      log: SILENT,
      workers: hands.workers,
      registry: new Registry(),
      spaces: [space],
      reported: () => undefined,
      editions: {
        current: () =>
          Promise.resolve({ number: edition, schedules: () => new Map(schedule === undefined ? [] : [['weekly', schedule]]) } as never),
      },
      bulk: {
        prepare: (_space, { run }) => {
          if (state.isBroken) return Promise.reject(new Refusal(422, 'csv', 'This is not valid CSV', { detail: 'Line 2.' }));
          return Promise.resolve((tx: Tx) => {
            if (state.isKilled) throw new StoreUnavailable('killed', new Error('killed'));
            tx.afterCommit(() => begun.push(run?.plannedAt ?? 0));
            return { id: 'p1' } as never;
          });
        },
      },
    });
    return { engine, settle: () => hands.settle(clock.now) };
  };
  let life = open();
  /** Time passes, a few minutes at a time. */
  async function pass(minutes: number, step = 5): Promise<void> {
    for (let left = minutes; left > 0; left -= step) {
      now += Math.min(step, left) * MINUTE;
      await life.settle();
    }
  }
  return {
    space,
    state,
    begun,
    now: clock.now,
    runs: (): RunRow[] => store.schedules.runs(space, 'weekly', 1000, undefined).sort((a, b) => a.plannedAt - b.plannedAt),
    nextAt: () => store.schedules.find(space, 'weekly')?.nextAt ?? undefined,
    settle: () => life.settle(),
    pass,
    until: (text: string, step?: number) => pass((at(text) - now) / MINUTE, step),
    /** Time passes while it does not run. */
    down: async (minutes: number): Promise<void> => {
      now += minutes * MINUTE;
      life = open();
      await life.settle();
    },
    /** The clock jumps while it runs. */
    jump: async (minutes: number): Promise<void> => {
      const from = now;
      now += minutes * MINUTE;
      life.engine.clockJumped({ from, to: now });
      await life.settle();
    },
    skip: (plannedAt: number): Promise<void> => (schedule === undefined ? Promise.resolve() : life.engine.skip(space, schedule, plannedAt)),
    unskip: (plannedAt: number): Promise<boolean> =>
      schedule === undefined ? Promise.resolve(false) : life.engine.unskip(space, schedule, plannedAt),
    publish: async (times: string | undefined): Promise<void> => {
      schedule = times === undefined ? undefined : scheduled(times);
      edition += 1;
      await life.settle();
    },
    pause: async (isPaused: boolean): Promise<void> => {
      await store.write((tx) => {
        const row = store.schedules.find(space, 'weekly', tx);
        if (row === undefined || schedule === undefined || row.isPaused === isPaused) return;
        store.schedules.put(tx, { ...row, isPaused, nextAt: isPaused ? null : (life.engine.freeAfter(space, schedule, now, tx) ?? null) });
      });
      await life.settle();
    },
  };
}

const FRIDAYS = 'starts: 2026-01-02T05:00\ntimeZone: Europe/Paris\nrepeat: FREQ=WEEKLY;BYDAY=FR';
const times = (all: readonly number[]): string[] => all.map((time) => new Date(time).toISOString().slice(0, 16));

describe('a schedule', () => {
  test('runs every Friday at five o’clock of its zone, across both changes of summer time', async () => {
    const spring = service('2026-03-26T00:00Z', FRIDAYS);
    await spring.settle();
    await spring.until('2026-04-11T00:00Z', 30);
    expect(times(spring.begun)).toEqual(['2026-03-27T04:00', '2026-04-03T03:00', '2026-04-10T03:00']);
    const autumn = service('2026-10-22T00:00Z', FRIDAYS);
    await autumn.settle();
    await autumn.until('2026-11-07T00:00Z', 30);
    expect(times(autumn.begun)).toEqual(['2026-10-23T03:00', '2026-10-30T04:00', '2026-11-06T04:00']);
  });

  test('whose hour is skipped in spring runs at the end of the gap, and once in the hour that comes twice', async () => {
    const nightly = 'starts: 2026-01-01T02:30\ntimeZone: Europe/Paris\nrepeat: FREQ=DAILY';
    const spring = service('2026-03-28T12:00Z', nightly);
    await spring.settle();
    await spring.until('2026-03-30T12:00Z');
    expect(times(spring.begun)).toEqual(['2026-03-29T01:00', '2026-03-30T00:30']);
    const autumn = service('2026-10-24T12:00Z', nightly);
    await autumn.settle();
    await autumn.until('2026-10-26T12:00Z');
    expect(times(autumn.begun)).toEqual(['2026-10-25T00:30', '2026-10-26T01:30']);
  });

  test('that was missed runs once when the service is back, or is left out, as it says', async () => {
    const makesUp = service('2026-11-26T00:00Z', `${FRIDAYS}\nmissed: run`);
    await makesUp.settle();
    await makesUp.down(17 * 24 * 60);
    expect(makesUp.runs().map(({ plannedAt, state, why }) => [times([plannedAt])[0], state, why])).toEqual([
      ['2026-11-27T04:00', 'skipped', 'The service did not run at that time; a later run makes up for it.'],
      ['2026-12-04T04:00', 'skipped', 'The service did not run at that time; a later run makes up for it.'],
      ['2026-12-11T04:00', 'started', null],
    ]);
    expect(times(makesUp.begun)).toEqual(['2026-12-11T04:00']);
    const leavesOut = service('2026-11-26T00:00Z', `${FRIDAYS}\nmissed: skip`);
    await leavesOut.settle();
    await leavesOut.down(17 * 24 * 60);
    expect(leavesOut.begun).toEqual([]);
    expect(leavesOut.runs().map(({ state }) => state)).toEqual(['skipped', 'skipped', 'skipped']);
    await leavesOut.until('2026-12-19T00:00Z', 30);
    expect(times(leavesOut.begun)).toEqual(['2026-12-18T04:00']);
    // A few minutes late is not missed.
    const late = service('2026-11-27T03:50Z', `${FRIDAYS}\nmissed: skip`);
    await late.settle();
    await late.down(15);
    expect(times(late.begun)).toEqual(['2026-11-27T04:00']);
  });

  test('that was down for years is made up for once, with lines for the last times', async () => {
    const { settle, down, begun, runs } = service('2016-01-01T00:00Z', 'starts: 2016-01-01T00:00\nrepeat: FREQ=HOURLY');
    await settle();
    await down(10 * 366 * 24 * 60);
    expect(begun).toHaveLength(1);
    expect(runs().filter(({ state }) => state === 'skipped').length).toBeLessThanOrEqual(50);
  });

  test('runs a time once when the clock goes back, and again when it had been ahead by mistake', async () => {
    const { settle, until, jump, begun, nextAt } = service('2026-11-26T00:00Z', FRIDAYS);
    await settle();
    await until('2026-11-27T05:00Z');
    await jump(-3 * 60);
    expect(times([nextAt() ?? 0])).toEqual(['2026-12-04T04:00']);
    await until('2026-11-28T00:00Z');
    expect(times(begun)).toEqual(['2026-11-27T04:00']);
    // A year ahead, and back again: what is next is next week, not next year.
    await jump(365 * 24 * 60);
    await jump(-365 * 24 * 60);
    expect(times([nextAt() ?? 0])).toEqual(['2026-12-04T04:00']);
    await until('2026-12-05T00:00Z', 30);
    expect(times(begun).at(-1)).toBe('2026-12-04T04:00');
  });

  test('looks for its next time again when the clock was set back while the service was down', async () => {
    const { settle, pass, down, nextAt } = service('2027-11-26T00:00Z', FRIDAYS);
    await settle();
    await pass(60);
    await down(-365 * 24 * 60);
    expect(times([nextAt() ?? 0])).toEqual(['2026-11-27T04:00']);
  });

  test('keeps its next time over a change of the mail folder that is not about its times', async () => {
    const { settle, until, publish, begun, runs, nextAt } = service('2026-11-26T00:00Z', FRIDAYS);
    await settle();
    await until('2026-11-27T03:55Z');
    await publish(`${FRIDAYS}\nperMinute: 10`);
    await until('2026-11-27T04:05Z');
    expect(times(begun)).toEqual(['2026-11-27T04:00']);
    // New times count from now on; what has passed is not made up for.
    await publish(FRIDAYS.replace('T05:00', 'T05:02'));
    expect(times([nextAt() ?? 0])).toEqual(['2026-12-04T04:02']);
    await publish(undefined);
    expect(nextAt()).toBeUndefined();
    await until('2026-12-05T00:00Z', 60);
    await publish(FRIDAYS);
    await until('2026-12-05T12:00Z', 60);
    expect(runs()).toHaveLength(1);
    expect(times([nextAt() ?? 0])).toEqual(['2026-12-11T04:00']);
  });

  test('that cannot begin leaves a line with the reason, and runs the next time', async () => {
    const { space, settle, until, begun, runs, state } = service('2026-11-26T00:00Z', FRIDAYS);
    await settle();
    state.isBroken = true;
    await until('2026-11-28T00:00Z', 30);
    state.isBroken = false;
    await until('2026-12-05T00:00Z', 30);
    expect(runs().map((run) => [run.state, run.why])).toEqual([
      ['failed', 'This is not valid CSV: Line 2.'],
      ['started', null],
    ]);
    expect(times(begun)).toEqual(['2026-12-04T04:00']);
    const { events } = opened.store.events.list({ space, limit: 10 });
    expect(events.map(({ kind, data }) => [kind, data?.['text']])).toEqual([
      ['schedule-failed', 'The schedule “weekly” could not run at 2026-11-27T04:00:00.000Z. This is not valid CSV: Line 2.'],
    ]);
  });

  test('that is killed as it begins has begun once, when it is back', async () => {
    const { settle, until, down, begun, runs, state } = service('2026-11-26T00:00Z', FRIDAYS);
    await settle();
    state.isKilled = true;
    await expect(until('2026-11-27T04:05Z')).rejects.toThrow(StoreUnavailable);
    expect(runs()).toEqual([]);
    state.isKilled = false;
    await down(2);
    await down(2);
    expect(times(begun)).toEqual(['2026-11-27T04:00']);
  });

  test('has, after anything that may happen, no run twice, none that was paused, and none left out in between', async () => {
    type Step =
      | { readonly kind: 'pass' | 'down' | 'back'; readonly minutes: number }
      | { readonly kind: 'pause' | 'resume' | 'skip' | 'unskip' };
    const step: fc.Arbitrary<Step> = fc.oneof(
      fc.record({ kind: fc.constantFrom('pass' as const, 'pass' as const, 'down' as const), minutes: fc.integer({ min: 1, max: 400 }) }),
      fc.record({ kind: fc.constant('back' as const), minutes: fc.integer({ min: 1, max: 200 }) }),
      fc.record({ kind: fc.constantFrom('pause' as const, 'resume' as const, 'skip' as const, 'skip' as const, 'unskip' as const) }),
    );
    const written = 'starts: 2026-01-01T00:30\ntimeZone: Europe/Paris\nrepeat: FREQ=HOURLY;INTERVAL=2';
    const { times: recurrence } = scheduled(written);
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 20 }), fc.constantFrom('run', 'skip'), async (steps, missed) => {
        const own = service('2026-10-24T20:00Z', `${written}\nmissed: ${missed}`);
        await own.settle();
        // The reckoning: what has come to its end, and from when on times count.
        const done = new Map<number, 'started' | 'skipped'>();
        let next: number | undefined;
        let isPaused = false;
        const free = (from: number): number | undefined => {
          let time = recurrence.after(from);
          while (time !== undefined && done.has(time)) time = recurrence.after(time);
          return time;
        };
        const tick = (now: number): void => {
          const open: number[] = [];
          for (let time = next; !isPaused && time !== undefined && time <= now; time = free(time)) open.push(time);
          const last = open.pop();
          if (last === undefined) return;
          for (const time of open) done.set(time, 'skipped');
          done.set(last, missed === 'skip' && now - last > LATE ? 'skipped' : 'started');
          next = free(last);
        };
        next = free(own.now());
        for (const { kind, ...rest } of steps) {
          const { minutes = 0 } = rest as { readonly minutes?: number };
          const before = own.now();
          if (kind === 'pass') {
            await own.pass(minutes);
            for (let left = minutes, now = before; left > 0; left -= 5) tick((now += Math.min(5, left) * MINUTE));
          } else if (kind === 'down') {
            await own.down(minutes);
            tick(own.now());
          } else if (kind === 'back') {
            await own.jump(-minutes);
            if (next !== undefined) next = free(own.now());
          } else if (kind === 'skip') {
            if (next !== undefined) {
              const skipped = next;
              done.set(skipped, 'skipped');
              next = free(skipped);
              await own.skip(skipped);
              await own.settle();
            }
          } else if (kind === 'unskip') {
            // The latest that a person skipped; one that has passed is history.
            const skipped = [...done].filter(([, state]) => state === 'skipped').sort(([a], [b]) => b - a)[0]?.[0];
            if (skipped === undefined) continue;
            expect(await own.unskip(skipped)).toBe(skipped > own.now());
            if (skipped > own.now()) {
              done.delete(skipped);
              if (!isPaused) next = Math.min(next ?? Infinity, skipped);
            }
            await own.settle();
          } else {
            if (isPaused !== (kind === 'pause')) next = kind === 'pause' ? undefined : free(own.now());
            isPaused = kind === 'pause';
            await own.pause(isPaused);
          }
        }
        expect(own.runs().map(({ plannedAt, state }) => [plannedAt, state])).toEqual([...done].sort(([a], [b]) => a - b));
        expect([...own.begun].sort((a, b) => a - b)).toEqual(
          [...done]
            .filter(([, state]) => state === 'started')
            .map(([time]) => time)
            .sort((a, b) => a - b),
        );
      }),
      { numRuns: scaled(25, 60) },
    );
  });
});
