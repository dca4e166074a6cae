import { causeRow, isSenderFault } from '@verbalis/core/delivery';
import type { Logger } from 'pino';
import type { Acceptor } from '../messages/index.js';
import { type Clock, type StepResult, type WorkerGroup, newId } from '../../kernel/index.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import type { Store } from './store.js';
import type { SenderFaultKey, SenderFaultRow } from './queries.js';

export interface SenderFaultOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly log: Logger;
  /** Whom to notify, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
}

const NAME = 'operator notes';
const SOON = 1000;

/**
 * Notifies the operator of what the sender does wrong (a block, a rule, a signature that does not verify): once a day for each cause, since it
 * is the sender who must act, and not the recipient who is to be suppressed.
 */
export function senderFaultNotes({ store, workers, clock, accept, log, operators }: SenderFaultOptions) {
  const keyOf = ({ space, cause, day }: SenderFaultKey): string => `${space}/${cause}/${day}`;

  async function request({ space, cause, day, evidence }: SenderFaultRow, operator: string): Promise<void> {
    const row = causeRow(cause);
    const lines = [
      `An email of the space "${space}" was refused: ${row.sentence}.`,
      `The other side said: ${evidence === '' ? '(nothing)' : evidence}`,
      row.advice,
      'The recipients are not suppressed. You are notified of this cause once a day.',
    ];
    const subject = `Emails are refused: ${row.sentence}`;
    await accept.one(
      space,
      { template: OPERATOR_NOTE, to: [operator], data: { subject, space, lines } },
      { idempotencyKey: `sender-fault:${cause}:${day}`, isBuiltIn: true },
    );
  }

  async function one(fault: SenderFaultRow): Promise<void> {
    const operator = operators.get(fault.space);
    const now = clock.now();
    try {
      if (operator !== undefined) await request(fault, operator);
    } catch (error) {
      if (store.quarantine.failed(NAME, keyOf(fault), error) !== undefined) return;
      const { space, cause, day } = fault;
      const payload: SenderFaultKey = { space, cause, day };
      await store.write((tx) => {
        store.quarantine.put(tx, {
          worker: NAME,
          item: { key: keyOf(fault), space, title: `Note about ${cause}`, payload },
          error,
          id: newId('q', now),
        });
        store.senderFaults.setReported(tx, fault, now);
      });
      return;
    }
    await store.write((tx) => {
      store.senderFaults.setReported(tx, fault, now);
    });
    store.quarantine.succeeded(NAME, keyOf(fault));
  }

  async function step(): Promise<StepResult> {
    const faults = store.senderFaults.unreported();
    const now = clock.now();
    const restsUntil = (fault: SenderFaultRow): number => store.quarantine.restsUntil(NAME, keyOf(fault)) ?? 0;
    const due = faults.filter((fault) => restsUntil(fault) <= now);
    for (const fault of due) await one(fault);
    if (due.length > 0) return { did: due.length, next: 'now' };
    return { did: 0, next: faults.length === 0 ? undefined : Math.min(...faults.map(restsUntil)) };
  }

  const worker = workers.add({ name: NAME, step, gatherMs: SOON });
  store.quarantine.register(NAME, {
    retry: (tx, { payload }) => {
      store.senderFaults.setReported(tx, payload as SenderFaultKey, null);
      tx.afterCommit(worker.wake);
    },
  });
  store.deliveries.onRecorded(NAME, (tx, { deliveryId, kind, cause, diagnostic }, now) => {
    if (kind !== 'failed' || cause === undefined || !isSenderFault(cause)) return;
    const delivery = store.deliveries.find(deliveryId, tx);
    if (delivery === undefined) return;
    const { space } = delivery;
    store.senderFaults.count(tx, { space, cause, day: new Date(now).toISOString().slice(0, 10) }, diagnostic ?? '');
    tx.afterCommit(() => {
      worker.wake();
      log.warn({ space, cause, delivery: deliveryId, diagnostic }, 'an email failed because of its sender');
    });
  });
  return { start: worker.start, stop: () => worker.stop() };
}
