import type { Acceptor } from '../messages/index.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import { type Clock, type StepResult, type WorkerGroup, newId } from '../../kernel/index.js';
import type { Feed } from '../events/index.js';
import { NOTIFIED, type AlertRow } from './queries.js';
import type { Store } from './store.js';

export interface AlertNoticeOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly feed: Feed;
  /** Who is notified, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
  readonly publicUrl: string | undefined;
}

const NAME = 'alert emails';
const AT_ONCE = 50;
const SOON = 500;

/** What is needed to try a quarantined alert email again. */
interface HeldAlert {
  readonly alertId: string;
  readonly notified: AlertRow['notified'];
}

/**
 * Notifies the operator of a space by email when an alert begins and when it is resolved; in one email where it was resolved before the first
 * could be sent. Each email is requested under a key of its own, so that a crash in between makes no second one.
 */
export function alertNotices({ store, workers, clock, accept, feed, operators, publicUrl }: AlertNoticeOptions) {
  async function request(row: AlertRow, operator: string): Promise<void> {
    const { id, space, rule, group, notified, since, resolvedAt } = row;
    const name = group === '' ? rule : `${rule} for ${group}`;
    const time = (at: number): string => new Date(at).toISOString().replace('T', ' ').slice(0, 16);
    const lines = notified === NOTIFIED.nothing ? [`Firing since ${time(since)} UTC: ${row.text}`] : [];
    if (resolvedAt !== null)
      lines.push(`Resolved at ${time(resolvedAt)} UTC, after ${Math.max(1, Math.round((resolvedAt - since) / 60_000))} minutes.`);
    if (publicUrl !== undefined) lines.push(`All alerts: ${publicUrl}/in/${space}/track/alerts`);
    const subject = resolvedAt === null ? `Alert: ${name}` : `Resolved: ${name}`;
    await accept.one(
      space,
      { template: OPERATOR_NOTE, to: [operator], data: { subject, space, lines } },
      { idempotencyKey: `alert:${id}:${resolvedAt === null ? 'firing' : 'resolved'}`, isBuiltIn: true },
    );
  }

  /** One alert; what cannot be requested (an operator whose address is refused) is quarantined, and the others go on. */
  async function one(row: AlertRow): Promise<void> {
    const notified = row.resolvedAt === null ? NOTIFIED.firing : NOTIFIED.resolved;
    const operator = operators.get(row.space);
    const key = `${row.id}/${notified}`;
    try {
      if (operator !== undefined) await request(row, operator);
    } catch (error) {
      if (store.quarantine.failed(NAME, key, error) !== undefined) return;
      const payload: HeldAlert = { alertId: row.id, notified: row.notified };
      await store.write((tx) => {
        store.quarantine.put(tx, {
          worker: NAME,
          item: { key, space: row.space, title: `Email about the alert ${row.rule}`, payload },
          error,
          id: newId('q', clock.now()),
        });
        store.alerts.setNotified(tx, row.id, notified);
      });
      return;
    }
    await store.write((tx) => {
      store.alerts.setNotified(tx, row.id, notified);
    });
    store.quarantine.succeeded(NAME, key);
  }

  async function step(): Promise<StepResult> {
    const rows = store.alerts.unreported(AT_ONCE);
    const now = clock.now();
    const restsUntil = (row: AlertRow): number =>
      store.quarantine.restsUntil(NAME, `${row.id}/${row.resolvedAt === null ? NOTIFIED.firing : NOTIFIED.resolved}`) ?? 0;
    const due = rows.filter((row) => restsUntil(row) <= now);
    for (const row of due) await one(row);
    if (due.length > 0) return { did: due.length, next: 'now' };
    return { did: 0, next: rows.length === 0 ? undefined : Math.min(...rows.map(restsUntil)) };
  }

  const worker = workers.add({ name: NAME, step, gatherMs: SOON });
  store.quarantine.register(NAME, {
    retry: (tx, { payload }) => {
      const { alertId, notified } = payload as HeldAlert;
      store.alerts.setNotified(tx, alertId, notified);
      tx.afterCommit(worker.wake);
    },
  });
  const stopFollowing = feed.onNew(worker.wake);
  return {
    start: worker.start,
    stop: async (): Promise<void> => {
      stopFollowing();
      await worker.stop();
    },
  };
}
