import { causeRow } from '@verbalis/core/delivery';
import type { Logger } from 'pino';
import type { Acceptor } from '../accept/index.js';
import type { Clock } from '../clock.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import type { Store } from '../store/index.js';
import type { Suppressing } from '../suppress/index.js';

export interface SenderFaultOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly accept: Acceptor;
  readonly suppressing: Suppressing;
  /** Whom to tell, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
}

/** Also what a worker has found is told, within this time. */
const EVERY = 15 * 60_000;
const SOON = 1000;

/**
 * Tells the operator what the sender does wrong (a block, a rule, a signature that does not hold): once a day for each cause, since it is
 * the sender who must act, and not the recipient who is to be left alone. @returns a function that ends it
 */
export function tellSenderFaults({ store, clock, log, accept, suppressing, operators }: SenderFaultOptions): () => void {
  let cancel: () => void = () => undefined;
  let isSoon = false;
  const look = async (): Promise<void> => {
    for (const fault of store.suppressions.untoldFaults()) {
      const { space, cause, day, evidence } = fault;
      const operator = operators.get(space);
      if (operator !== undefined) {
        const row = causeRow(cause);
        const lines = [
          `A mail of the space "${space}" was refused: ${row.sentence}.`,
          `The other side said: ${evidence === '' ? '(nothing)' : evidence}`,
          row.advice,
          'The recipients are not suppressed. You are told of this cause once a day.',
        ];
        const subject = `Mails are refused: ${row.sentence}`;
        await accept.one(
          space,
          { template: OPERATOR_NOTE, to: [operator], data: { subject, space, lines } },
          `sender-fault:${cause}:${day}`,
          true,
        );
      }
      await store.group.write(() => {
        store.suppressions.toldFault(fault, clock.now());
      });
    }
  };
  const arm = (after: number): void => {
    cancel();
    cancel = clock.at(clock.now() + after, again);
  };
  const again = (): void => {
    isSoon = false;
    void look()
      .catch((error: unknown) => {
        log.error({ err: error }, 'the operator could not be told');
      })
      .finally(() => {
        if (!isSoon) arm(EVERY);
      });
  };
  suppressing.onSenderFault(() => {
    if (isSoon) return;
    isSoon = true;
    arm(SOON);
  });
  arm(SOON);
  return () => {
    cancel();
  };
}
