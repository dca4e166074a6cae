import type { Logger } from 'pino';
import type { Acceptor } from '../accept/index.js';
import type { Clock } from '../clock.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import type { Feed } from '../notify/index.js';
import { TOLD, type AlertRow, type Store } from '../store/index.js';

export interface AlertMailOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly accept: Acceptor;
  readonly feed: Feed;
  /** Whom to tell, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
  readonly publicUrl: string | undefined;
}

const AT_ONCE = 50;
const SOON = 500;
const AGAIN = 60_000;

/**
 * Tells the operator of a space by mail what its alerts say: when one begins, and when it is over; in one mail where it was over before the
 * first could go. A mail is asked for under a key of its own, so that a crash in between makes no second. @returns a function that ends it
 */
export function tellAlerts({ store, clock, log, accept, feed, operators, publicUrl }: AlertMailOptions): () => void {
  let cancel: () => void = () => undefined;
  let armed = false;

  async function tell(row: AlertRow, operator: string): Promise<void> {
    const { id, space, rule, group, told, since, resolvedAt } = row;
    const name = group === '' ? rule : `${rule} for ${group}`;
    const time = (at: number): string => new Date(at).toISOString().replace('T', ' ').slice(0, 16);
    const lines = told === TOLD.nothing ? [`Since ${time(since)} UTC: ${row.text}`] : [];
    if (resolvedAt !== null)
      lines.push(`Over since ${time(resolvedAt)} UTC, after ${Math.max(1, Math.round((resolvedAt - since) / 60_000))} minutes.`);
    if (publicUrl !== undefined) lines.push(`All alerts: ${publicUrl}/track/alerts`);
    const subject = resolvedAt === null ? `Alert: ${name}` : `Over: ${name}`;
    await accept.one(
      space,
      { template: OPERATOR_NOTE, to: [operator], data: { subject, space, lines } },
      `alert:${id}:${resolvedAt === null ? 'firing' : 'over'}`,
      true,
    );
  }

  async function look(): Promise<boolean> {
    const rows = store.alerts.untold(AT_ONCE);
    for (const row of rows) {
      const operator = operators.get(row.space);
      if (operator !== undefined) await tell(row, operator);
      await store.group.write(() => {
        store.alerts.told(row.id, row.resolvedAt === null ? TOLD.firing : TOLD.over);
      });
    }
    return rows.length === AT_ONCE;
  }

  const arm = (after: number): void => {
    if (armed) return;
    armed = true;
    cancel = clock.at(clock.now() + after, () => void run());
  };
  const run = async (): Promise<void> => {
    armed = false;
    try {
      if (await look()) arm(0);
    } catch (error) {
      log.error({ err: error }, 'the operator could not be told of an alert; tried again');
      arm(AGAIN);
    }
  };
  const stopFollowing = feed.onNew(() => {
    arm(SOON);
  });
  arm(SOON);
  return () => {
    stopFollowing();
    cancel();
  };
}
