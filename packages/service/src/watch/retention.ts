import type { Logger } from 'pino';
import type { Clock, StepResult, Tx, WorkerGroup } from '../kernel/index.js';
import type { Store } from '../store/index.js';

/** One kind of record that is removed when it is old. */
export interface RetentionRule {
  /** What is removed, for people. */
  readonly name: string;
  /** One step. @returns how many were removed; 0 when nothing is left to remove */
  readonly step: (tx: Tx, now: number) => number;
}

export interface RetentionOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  readonly rules: readonly RetentionRule[];
}

const DAY = 24 * 3_600_000;
/** Figures by the hour are kept for so many days; those by the day permanently. */
const HOURS_DAYS = 100;
const EVENTS_STEP = 5000;
/** Editions of a space that stay whatever their age. */
const NEWEST_EDITIONS = 10;
const EVERY = 15 * 60_000;
/** Between steps others write. */
const PAUSE = 50;

/** How long each kind of record is kept. Every table that grows is named here, or belongs to one that is. */
export function retentionRules(
  store: Store,
  keep: { readonly mailDays: number; readonly messageDays: number },
  forgetCaptured: (tx: Tx) => number,
): RetentionRule[] {
  const { housekeeping: old, events, subscriptions, figures, quarantine } = store;
  const [mailAge, messageAge] = [keep.mailDays * DAY, keep.messageDays * DAY];
  return [
    { name: 'bytes of emails', step: (tx, now) => old.forgetMails(tx, now - mailAge) },
    { name: 'messages', step: (tx, now) => old.forgetMessages(tx, now - messageAge) },
    { name: 'bytes of returns', step: (tx, now) => old.forgetReturnBytes(tx, now - mailAge) },
    { name: 'returns', step: (tx, now) => old.forgetReturns(tx, now - messageAge) },
    { name: 'captured mail', step: forgetCaptured },
    { name: 'events', step: (tx, now) => events.forget(tx, now - messageAge, EVENTS_STEP) },
    { name: 'notifications', step: (tx, now) => subscriptions.forget(tx, events.before(now - mailAge, tx), EVENTS_STEP) },
    { name: 'dead letters', step: (tx, now) => subscriptions.forgetDead(tx, events.before(now - messageAge, tx), EVENTS_STEP) },
    { name: 'figures by the hour', step: (tx, now) => figures.forget(tx, now - HOURS_DAYS * DAY) },
    { name: 'uploads', step: (tx, now) => old.forgetUploads(tx, now - messageAge) },
    { name: 'uploads that never ended', step: (tx, now) => old.forgetUnfinished(tx, now - DAY) },
    { name: 'alerts', step: (tx, now) => old.forgetAlerts(tx, now - messageAge) },
    { name: 'operator notes', step: (tx, now) => old.forgetSenderFaults(tx, now - messageAge) },
    { name: 'sessions', step: (tx, now) => old.forgetSessions(tx, now) },
    { name: 'quarantined items', step: (tx, now) => quarantine.forget(tx, now - messageAge) },
    {
      name: 'editions',
      step: (tx, now) => {
        const removed = old.forgetEditions(tx, now - messageAge, NEWEST_EDITIONS);
        // Only then can there be files that no edition has.
        return removed === 0 ? 0 : removed + old.forgetBlobs(tx);
      },
    },
  ];
}

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
