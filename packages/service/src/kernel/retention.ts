import type { Logger } from 'pino';
import type { Clock } from './clock.js';
import type { Kernel } from './database.js';
import type { Tx } from './transaction.js';
import type { StepResult, WorkerGroup } from './worker.js';

/** One kind of record that is removed when it is old. */
export interface RetentionRule {
  /** What is removed, for people. */
  readonly name: string;
  /** One step. @returns how many were removed; 0 when nothing is left to remove */
  readonly step: (tx: Tx, now: number) => number;
}

/** How long records are kept, in milliseconds. */
export interface RetentionAges {
  /** The bytes of emails and returns. */
  readonly bytes: number;
  /** Everything else. */
  readonly records: number;
}

export interface RetentionOptions {
  readonly store: Pick<Kernel, 'write'>;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  readonly rules: readonly RetentionRule[];
}

const EVERY = 15 * 60_000;
/** Between steps others write. */
const PAUSE = 50;

/** Removes what is old, a step at a time. A rule that fails does not keep the others from their work. */
export function retention({ store, workers, clock, log, rules }: RetentionOptions) {
  /** Rules that still have something to remove in this round. */
  let left: readonly RetentionRule[] = [];

  async function step(): Promise<StepResult> {
    const now = clock.now();
    const round = left.length > 0 ? left : rules;
    const more: RetentionRule[] = [];
    const faults: unknown[] = [];
    for (const rule of round) {
      try {
        const removed = await store.write((tx) => rule.step(tx, now));
        if (removed === 0) continue;
        more.push(rule);
        log.info({ what: rule.name, removed }, 'old records were removed');
      } catch (error) {
        faults.push(new Error(`Old ${rule.name} could not be removed`, { cause: error }));
      }
    }
    left = more;
    if (faults.length > 0) throw faults[0];
    return { did: more.length, next: now + (more.length > 0 ? PAUSE : EVERY) };
  }

  return workers.add({ name: 'retention', step });
}
