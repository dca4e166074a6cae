import { causeRow } from '@verbalis/core/delivery';
import type { Acceptor } from '../accept/index.js';
import type { Clock, StepResult, WorkerGroup } from '../kernel/index.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import { newId, type Store } from '../store/index.js';
import type { Suppressing } from '../suppress/index.js';

export interface SenderFaultOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly suppressing: Suppressing;
  /** Whom to tell, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
}

const NAME = 'operator notes';
const SOON = 1000;

type SenderFault = ReturnType<Store['suppressions']['untoldFaults']>[number];

/** What is needed to try a quarantined note again. */
type HeldNote = Pick<SenderFault, 'space' | 'cause' | 'day'>;

/**
 * Notifies the operator of what the sender does wrong (a block, a rule, a signature that does not verify): once a day for each cause, since it
 * is the sender who must act, and not the recipient who is to be suppressed.
 */
export function senderFaultNotes({ store, workers, clock, accept, suppressing, operators }: SenderFaultOptions) {
  const keyOf = ({ space, cause, day }: HeldNote): string => `${space}/${cause}/${day}`;

  async function request({ space, cause, day, evidence }: SenderFault, operator: string): Promise<void> {
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
      `sender-fault:${cause}:${day}`,
      true,
    );
  }

  async function one(fault: SenderFault): Promise<void> {
    const operator = operators.get(fault.space);
    const now = clock.now();
    try {
      if (operator !== undefined) await request(fault, operator);
    } catch (error) {
      if (store.quarantine.failed(NAME, keyOf(fault), error) !== undefined) return;
      const { space, cause, day } = fault;
      const payload: HeldNote = { space, cause, day };
      await store.write((tx) => {
        store.quarantine.put(tx, NAME, { key: keyOf(fault), space, title: `Note about ${cause}`, payload }, error, newId('q', now));
        store.suppressions.toldFault(tx, fault, now);
      });
      return;
    }
    await store.write((tx) => {
      store.suppressions.toldFault(tx, fault, now);
    });
    store.quarantine.succeeded(NAME, keyOf(fault));
  }

  async function step(): Promise<StepResult> {
    const faults = store.suppressions.untoldFaults();
    const now = clock.now();
    const restsUntil = (fault: SenderFault): number => store.quarantine.restsUntil(NAME, keyOf(fault)) ?? 0;
    const due = faults.filter((fault) => restsUntil(fault) <= now);
    for (const fault of due) await one(fault);
    if (due.length > 0) return { did: due.length, next: 'now' };
    return { did: 0, next: faults.length === 0 ? undefined : Math.min(...faults.map(restsUntil)) };
  }

  const worker = workers.add({ name: NAME, step, gatherMs: SOON });
  store.quarantine.register(NAME, {
    retry: (tx, { payload }) => {
      store.suppressions.toldFault(tx, payload as HeldNote, null);
      tx.afterCommit(worker.wake);
    },
  });
  suppressing.onSenderFault(worker.wake);
  return { start: worker.start, stop: () => worker.stop() };
}
