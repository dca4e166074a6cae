import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { pino } from 'pino';
import type { Clock } from './clock.js';
import { GroupCommit, type GroupCommitOptions } from './group-commit.js';
import { Connection } from './transaction.js';
import type { StepResult, WorkerGroup, WorkerOptions } from './worker.js';

export const SILENT = pino({ level: 'silent' });

/** A group commit on a file with one table, and a second connection to the same file, as another process would have it. */
export function notesFile(options: Partial<GroupCommitOptions> = {}) {
  const file = join(mkdtempSync(join(tmpdir(), 'verbalis-kernel-')), 'notes.sqlite');
  const raw = new Sqlite(file, { timeout: 0 });
  raw.pragma('journal_mode = WAL');
  raw.exec('create table notes (text text not null unique)');
  const insert = raw.prepare('insert into notes values (?)');
  const group = new GroupCommit(new Connection(raw), { log: SILENT, ...options });
  const other = new Sqlite(file, { timeout: 0 });
  return {
    file,
    raw,
    group,
    other,
    insert,
    /** What is on the disk, as another process sees it. */
    all: (): string[] => other.prepare('select text from notes order by text').pluck().all() as string[],
  };
}

/** A clock that the test moves with `pass`; what is due runs in order. */
export function steppedClock(start = 0): Clock & { readonly pass: (ms: number) => Promise<void> } {
  let now = start;
  const timers = new Set<{ readonly at: number; readonly run: () => void }>();
  const settle = async (): Promise<void> => {
    for (let i = 0; i < 5; i += 1) await new Promise((done) => setImmediate(done));
  };
  const at: Clock['at'] = (when, run) => {
    const timer = { at: when, run };
    timers.add(timer);
    return () => timers.delete(timer);
  };
  return {
    now: () => now,
    elapsed: () => now,
    onJump: () => () => undefined,
    at,
    after: (ms, run) => at(now + ms, run),
    async pass(ms) {
      const end = now + ms;
      for (;;) {
        await settle();
        const [next] = [...timers].filter((timer) => timer.at <= end).sort((a, b) => a.at - b.at);
        if (next === undefined) break;
        timers.delete(next);
        now = Math.max(now, next.at);
        next.run();
      }
      now = end;
      await settle();
    },
  };
}

/** Workers that step when the test says so. `settle` steps until nothing is to be done at once. */
export function handWorkers(): { readonly workers: WorkerGroup; readonly settle: (now: () => number) => Promise<void> } {
  let step: () => StepResult | Promise<StepResult> = () => ({ did: 0 });
  const worker = { wake: () => undefined, start: () => undefined, stop: () => Promise.resolve() };
  return {
    workers: {
      add: (options: Pick<WorkerOptions, 'step'>) => {
        ({ step } = options);
        return worker;
      },
    } as unknown as WorkerGroup,
    async settle(now) {
      for (;;) {
        const { next } = await step();
        if (next !== 'now' && (next === undefined || next > now())) return;
      }
    },
  };
}
