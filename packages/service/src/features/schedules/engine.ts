import type { Schedule } from '@verbalis/core/schedules';
import type { Logger } from 'pino';
import { Counter, type Registry } from 'prom-client';
import {
  instant,
  newId,
  Refusal,
  StoreUnavailable,
  type Clock,
  type ClockJump,
  type Running,
  type StepResult,
  type Tx,
  type WorkerGroup,
} from '../../kernel/index.js';
import type { BulkStarter } from '../bulk-sends/index.js';
import type { Editions, LoadedEdition } from '../editions/index.js';
import type { RunRow, ScheduleRow } from './queries.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  readonly registry: Registry;
  readonly spaces: readonly string[];
  readonly editions: Pick<Editions, 'current'>;
  readonly bulk: BulkStarter;
  /** An event was written. */
  readonly reported: () => void;
}

/** How a run is asked for. */
export interface RunWanted {
  readonly plannedAt: number;
  readonly isManual: boolean;
  readonly first?: number | undefined;
  readonly keyId?: string | undefined;
}

export interface Engine extends Running {
  readonly wake: () => void;
  readonly clockJumped: (jump: ClockJump) => void;
  /** The schedules of a space as its edition in use has them, and brings its records up to date. */
  readonly current: (space: string) => Promise<LoadedEdition | undefined>;
  /** Runs a schedule out of turn. @throws Refusal */
  readonly run: (space: string, schedule: Schedule, wanted: Pick<RunWanted, 'first' | 'keyId'>) => Promise<RunRow>;
  /** Leaves a planned time out; twice is once. */
  readonly skip: (space: string, schedule: Schedule, plannedAt: number) => Promise<void>;
  /** Takes a skip back, as long as its time is to come. @returns whether it was skipped */
  readonly unskip: (space: string, schedule: Schedule, plannedAt: number) => Promise<boolean>;
  /** The first time after an instant to which nothing has happened yet. */
  readonly freeAfter: (space: string, schedule: Schedule, at: number, tx?: Tx) => number | undefined;
}

const AT_ONCE = 10;
/** Later than this, a time counts as missed; in milliseconds. */
const LATE_MS = 10 * 60_000;
/** Missed times that get a line of their own; the first of more are left out. */
const MOST_MISSED = 50;
/** How far back the times that have come are looked for: as far as needed; in milliseconds. */
const WINDOWS_MS = [86_400_000, 32 * 86_400_000, 366 * 86_400_000, Infinity];
/** A space whose edition cannot be loaded is left alone for so long, in milliseconds. */
const REST_MS = 30_000;
const LONGEST_WHY = 500;

const timesText = ({ starts, timeZone, repeat }: Schedule): string => JSON.stringify([starts, timeZone, repeat ?? null]);

/** The times that have come since one of them, as far as they matter; the last is among them. */
function timesUntil({ times }: Schedule, first: number, now: number): number[] {
  const found: number[] = [];
  for (const window of WINDOWS_MS) {
    let at = times.after(Math.max(first - 1, now - window));
    while (at !== undefined && at <= now) {
      found.push(at);
      at = times.after(at);
    }
    if (found.length > 0) break;
  }
  return found.slice(-MOST_MISSED);
}

/** Starts bulk sends when their times come. A time has one run, however often the service is killed and whatever the clock does. */
export function scheduleEngine({ store, clock, log, workers, registry, spaces, editions, bulk, reported }: Options): Engine {
  const counted = new Counter({
    name: 'verbalis_schedule_runs_total',
    help: 'What came of the times of schedules',
    labelNames: ['state'],
    registers: [registry],
  });
  /** Spaces whose next times were looked at since the start, or since the clock was set back. */
  const looked = new Set<string>();
  /** Spaces whose edition cannot be loaded, and until when they are left alone; by the monotonic clock. */
  const resting = new Map<string, number>();

  function freeAfter(space: string, { name, times }: Schedule, at: number, tx?: Tx): number | undefined {
    let next = times.after(at);
    while (next !== undefined && store.schedules.runAt(space, name, next, tx) !== undefined) next = times.after(next);
    return next;
  }

  /** Brings the records of a space up to its edition in use. @throws when the edition cannot be loaded */
  async function sync(space: string): Promise<LoadedEdition | undefined> {
    const edition = await editions.current(space);
    if (edition === undefined) return undefined;
    if (looked.has(space) && store.schedules.edition(space) === edition.number) return edition;
    const now = clock.now();
    const rows: ScheduleRow[] = [];
    for (const schedule of edition.schedules().values()) {
      const { name } = schedule;
      const known = store.schedules.find(space, name);
      const times = timesText(schedule);
      const isSame = known?.isPresent === true && known.times === times;
      // One that is due stays due; any other is looked for again: the clock may have been ahead when it was found.
      const isDue = isSame && known.nextAt !== null && known.nextAt <= now;
      const nextAt = isDue ? known.nextAt : (freeAfter(space, schedule, now) ?? null);
      rows.push({ space, name, times, isPresent: true, isPaused: false, nextAt });
      // A rule may take a while to be followed.
      await new Promise((done) => setImmediate(done));
    }
    await store.write((tx) => {
      // Another edition may have come into use meanwhile, and a person may have paused one.
      if (store.editions.currentNumber(space, tx) !== edition.number) return;
      for (const row of rows) {
        const isPaused = store.schedules.find(space, row.name, tx)?.isPaused ?? false;
        store.schedules.put(tx, { ...row, isPaused, nextAt: isPaused ? null : row.nextAt });
      }
      store.schedules.leaveOut(
        tx,
        space,
        rows.map(({ name }) => name),
      );
      store.schedules.setEdition(tx, space, edition.number);
    });
    looked.add(space);
    return edition;
  }

  const needsSync = (space: string): boolean => {
    const number = store.editions.currentNumber(space);
    if (number === undefined) return false;
    return store.schedules.edition(space) !== number || (!looked.has(space) && store.schedules.hasWaiting(space));
  };

  async function syncAll(): Promise<void> {
    for (const [space, until] of resting) if (until <= clock.elapsed()) resting.delete(space);
    for (const space of spaces) {
      if (resting.has(space) || !needsSync(space)) continue;
      try {
        await sync(space);
      } catch (error) {
        if (error instanceof StoreUnavailable) throw error;
        resting.set(space, clock.elapsed() + REST_MS);
        log.error({ err: error, space }, 'the schedules of a space could not be loaded; they wait');
      }
    }
  }

  const rowOf = (own: Pick<RunRow, 'space' | 'schedule' | 'plannedAt' | 'state'> & Partial<RunRow>): RunRow => {
    const at = clock.now();
    return { id: newId('y', at), isManual: false, why: null, bulkId: null, at, ...own };
  };

  function note(tx: Tx, row: RunRow): RunRow {
    store.schedules.addRun(tx, row);
    tx.afterCommit(() => {
      counted.inc({ state: row.state });
    });
    return row;
  }

  /** A run that could not begin is an event. */
  function report(tx: Tx, { id, space, schedule, plannedAt, state, why, at }: RunRow): void {
    if (state !== 'failed') return;
    const planned = instant(plannedAt);
    store.events.append(tx, {
      id: `schedule-run:${id}`,
      space,
      kind: 'schedule-failed',
      at,
      data: { schedule, plannedAt: planned, text: `The schedule \u201C${schedule}\u201D could not run at ${planned}. ${why ?? ''}` },
    });
    tx.afterCommit(reported);
  }

  /** What begins the bulk send of a run. @throws Refusal */
  async function prepare(space: string, schedule: Schedule, { plannedAt, first, keyId }: RunWanted) {
    const { name, template, source, perMinute, essential, common } = schedule;
    const recipients =
      source.kind === 'url' ? { url: source.url } : source.kind === 'list' ? { list: source.list } : await fileOf(space, source);
    return bulk.prepare(space, {
      name,
      common: { template, ...common },
      recipients,
      perMinute,
      first,
      essential,
      keyId,
      run: { schedule: name, plannedAt },
    });
  }

  async function fileOf(space: string, { path, format }: { readonly path: string; readonly format: 'csv' | 'ndjson' }) {
    const bytes = (await editions.current(space))?.project.linked.files.get(path);
    if (bytes !== undefined) return { bytes, format };
    throw new Refusal(422, 'no-recipients', 'There is no such file of recipients', { detail: `The edition in use has no ${path}.` });
  }

  async function runDue({ space, name, nextAt }: ScheduleRow): Promise<void> {
    const schedule = (await sync(space))?.schedules().get(name);
    if (schedule === undefined || nextAt === null) return;
    const now = clock.now();
    // What a person has left out is out.
    const open = timesUntil(schedule, nextAt, now).filter((at) => store.schedules.runAt(space, name, at) === undefined);
    const last = open.pop();
    if (last === undefined) {
      await store.write((tx) => {
        const current = store.schedules.find(space, name, tx);
        if (current?.nextAt === nextAt) store.schedules.put(tx, { ...current, nextAt: freeAfter(space, schedule, now, tx) ?? null });
      });
      return;
    }
    const isLate = now - last > LATE_MS;
    let begin: Awaited<ReturnType<typeof prepare>> | undefined;
    let outcome: Pick<RunRow, 'state' | 'why'> = { state: 'started', why: null };
    if (isLate && schedule.missed === 'skip') outcome = { state: 'skipped', why: 'The service did not run at that time.' };
    else
      try {
        begin = await prepare(space, schedule, { plannedAt: last, isManual: false });
      } catch (error) {
        if (error instanceof StoreUnavailable) throw error;
        log.error({ err: error, space, schedule: name }, 'a schedule could not run');
        const why = error instanceof Refusal ? error.sentence : `It failed: ${error instanceof Error ? error.message : String(error)}`;
        outcome = { state: 'failed', why: why.slice(0, LONGEST_WHY) };
      }
    await store.write((tx) => {
      const current = store.schedules.find(space, name, tx);
      // Paused, skipped or changed meanwhile.
      if (current?.nextAt !== nextAt) return;
      const why =
        schedule.missed === 'run'
          ? 'The service did not run at that time; a later run makes up for it.'
          : 'The service did not run at that time.';
      for (const at of open)
        if (store.schedules.runAt(space, name, at, tx) === undefined)
          note(tx, rowOf({ space, schedule: name, plannedAt: at, state: 'skipped', why }));
      if (store.schedules.runAt(space, name, last, tx) === undefined)
        report(tx, note(tx, rowOf({ space, schedule: name, plannedAt: last, ...outcome, bulkId: begin?.(tx).id ?? null })));
      store.schedules.put(tx, { ...current, nextAt: freeAfter(space, schedule, last, tx) ?? null });
    });
  }

  /** Those that are in the configuration, and not left alone. */
  const open = (): string[] => spaces.filter((space) => !resting.has(space));

  async function step(): Promise<StepResult> {
    await syncAll();
    const due = store.schedules.due(clock.now(), AT_ONCE, open());
    for (const row of due) await runDue(row);
    if (due.length > 0) return { did: due.length, next: 'now' };
    const next = Math.min(store.schedules.nextDue(open()) ?? Infinity, resting.size === 0 ? Infinity : clock.now() + REST_MS);
    return next === Infinity ? { did: 0 } : { did: 0, next };
  }

  const worker = workers.add({ name: 'schedules', step });
  return {
    wake: worker.wake,
    start: worker.start,
    stop: () => worker.stop(),
    freeAfter,
    current: sync,
    clockJumped: ({ from, to }) => {
      // What was next by a clock that was ahead may be far away.
      if (to < from) looked.clear();
      worker.wake();
    },
    skip: (space, schedule, plannedAt) =>
      store.write((tx) => {
        const { name } = schedule;
        const current = store.schedules.find(space, name, tx);
        if (current === undefined || store.schedules.runAt(space, name, plannedAt, tx) !== undefined) return;
        note(tx, rowOf({ space, schedule: name, plannedAt, state: 'skipped', why: 'A person skipped it.' }));
        if (current.nextAt === plannedAt)
          store.schedules.put(tx, { ...current, nextAt: freeAfter(space, schedule, plannedAt, tx) ?? null });
        tx.afterCommit(worker.wake);
      }),
    unskip: (space, schedule, plannedAt) =>
      store.write((tx) => {
        const { name } = schedule;
        const current = store.schedules.find(space, name, tx);
        if (current === undefined || plannedAt <= clock.now() || !store.schedules.removeSkip(tx, space, name, plannedAt)) return false;
        // A schedule that is paused looks for its next time when it is resumed.
        if (!current.isPaused) store.schedules.put(tx, { ...current, nextAt: Math.min(current.nextAt ?? Infinity, plannedAt) });
        tx.afterCommit(worker.wake);
        return true;
      }),
    async run(space, schedule, { first, keyId }) {
      const plannedAt = clock.now();
      const begin = await prepare(space, schedule, { plannedAt, isManual: true, first, keyId });
      return store.write((tx) =>
        note(tx, rowOf({ space, schedule: schedule.name, plannedAt, state: 'started', isManual: true, bulkId: begin(tx).id })),
      );
    },
  };
}
