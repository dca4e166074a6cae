import { causeRow } from '@verbalis/core/delivery';
import type { Logger } from 'pino';
import type { Acceptor } from '../accept/index.js';
import type { Clock } from '../clock.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import type { Store } from '../store/index.js';

export interface SenderFaultOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly accept: Acceptor;
  /** Whom to tell, by space. */
  readonly operators: ReadonlyMap<string, string | undefined>;
}

const EVERY = 10_000;

/**
 * Tells the operator what the sender does wrong (a block, a rule, a signature that does not hold): once a day for each cause, since it is
 * the sender who must act, and not the recipient who is to be left alone. @returns a function that ends it
 */
export function tellSenderFaults({ store, clock, log, accept, operators }: SenderFaultOptions): () => void {
  let cancel: () => void = () => undefined;
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
  const again = (): void => {
    void look()
      .catch((error: unknown) => {
        log.error({ err: error }, 'the operator could not be told');
      })
      .finally(() => {
        cancel = clock.at(clock.now() + EVERY, again);
      });
  };
  cancel = clock.at(clock.now() + EVERY / 10, again);
  return () => {
    cancel();
  };
}
