import { readFairnessKey, type ProviderRouter, type RetryPlan, type RouterTime } from '@verbalis/core/delivery';
import { replyText } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import { StoreUnavailable, newId, type Clock, type Tx } from '../../kernel/index.js';
import type { DeliveryRow } from '../messages/index.js';
import { boundTo, choiceOf, type ChoiceRules } from './choice.js';
import { conclusionOf } from './conclusion.js';
import type { Handed } from './hand-over.js';
import type { Store } from './store.js';
import type { UnderWay } from './under-way.js';

export interface RecordingOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly router: ProviderRouter;
  readonly retries: RetryPlan;
  /** What has been due for so long is given up, in milliseconds. */
  readonly giveUpMs: number;
  /** From 0 to 1. */
  readonly random: () => number;
  readonly rulesOf: (line: string) => ChoiceRules;
  readonly time: () => RouterTime;
  readonly isStopping: () => boolean;
  /** Is called when a delivery is due again at a date. */
  readonly dueAgain: (line: string, at: number) => void;
}

/** The name of this worker in quarantine. */
export const WORKER = 'queue';
/** Before an outcome that could not be written is tried again. */
const WRITE_AGAIN_MS = 1000;

/** What is needed to try a quarantined delivery again. */
export interface QuarantinedDelivery {
  readonly deliveryId: string;
}

/** Records the outcome of each email. */
export class Recording {
  constructor(private readonly options: RecordingOptions) {}

  /** An email ends before any attempt. @param run writes what follows */
  async concluded(underWay: UnderWay, run: (tx: Tx) => void): Promise<void> {
    await this.#written(run);
    underWay.isConcluded = true;
  }

  /** The email could not be made: it is tried again, and after some tries it waits in quarantine until a person decides. */
  async unmade(underWay: UnderWay, error: unknown): Promise<void> {
    const { store, clock } = this.options;
    const { row, attempt } = underWay;
    const now = clock.now();
    const again = error instanceof StoreUnavailable ? now + WRITE_AGAIN_MS : store.quarantine.failed(WORKER, row.id, error);
    const diagnostic = `The email could not be made: ${error instanceof Error ? error.message : String(error)}`;
    await this.concluded(underWay, (tx) => {
      if (again !== undefined) store.deliveries.defer(tx, row, again);
      else if (store.deliveries.suspend(tx, row.id, { diagnostic, factId: attempt.id, now })) this.#quarantine(tx, row, error, now);
    });
  }

  /** An attempt has ended. */
  async ended(underWay: UnderWay, { outcome, bytes }: Handed): Promise<void> {
    const { row, attempt } = underWay;
    const { store, clock, retries, giveUpMs, random, log, router, rulesOf, time, dueAgain } = this.options;
    const now = clock.now();
    const { provider, number } = attempt;
    const rules = rulesOf(row.fairnessKey);
    const { route } = rules;
    const { urgent } = readFairnessKey(row.fairnessKey);
    const { domain, space } = row;
    const { fact, next, held, waitMs } = conclusionOf({
      outcome,
      delivery: row,
      attempt,
      counted: row.attempts === 0 ? 0 : store.deliveries.countedAttempts(row.id),
      isBound: boundTo(row, rules) !== undefined,
      hasFit: (unfit) => router.hasFit(route, unfit),
      hasOther:
        outcome.kind === 'trouble' &&
        router.hasOther(provider, { space, domain, urgent, route, lot: 0, ...choiceOf(row, rules), ...time() }),
      retries,
      giveUpMs,
      random: random(),
      now,
    });
    const end = {
      endedAt: now,
      outcome: outcome.kind,
      phase: outcome.phase,
      replyCode: outcome.reply?.code ?? null,
      status: outcome.reply?.enhanced ?? null,
      diagnostic: outcome.reply === undefined ? (outcome.reason ?? null) : replyText(outcome.reply),
      providerId: outcome.providerId ?? null,
    };
    let { at } = next;
    const isRecorded = await this.#written((tx) => {
      // The date was set back since, and the waits that were stored then have been moved: this one goes with them.
      if (next.at !== undefined) at = next.at + Math.min(0, clock.now() - now);
      const isHeld = store.deliveries.endAttempt(tx, attempt, { end, fact, next: { ...next, at }, recordedAt: now });
      // The same bytes can be made again, should we not come so far.
      if (isHeld && bytes !== undefined) store.messages.keepMail(tx, row.id, bytes);
      if (isHeld && held !== undefined) this.#quarantine(tx, row, new Error(held), now);
      return isHeld;
    });
    underWay.isConcluded = isRecorded;
    if (isRecorded && at !== undefined) dueAgain(row.fairnessKey, at);
    if (!isRecorded) log.warn({ delivery: row.id, attempt: number }, 'not written: the delivery was changed during the attempt');
    const { traceparent } = underWay;
    log.info(
      { delivery: row.id, attempt: number, provider, outcome: outcome.kind, cause: fact?.cause, waitMs, traceparent },
      'attempt ended',
    );
  }

  #quarantine(tx: Tx, row: DeliveryRow, error: unknown, now: number): void {
    const payload: QuarantinedDelivery = { deliveryId: row.id };
    const item = { key: row.id, space: row.space, title: `Email to ${row.address}`, payload };
    this.options.store.quarantine.put(tx, { worker: WORKER, item, error, id: newId('q', now) });
  }

  /** What has happened must be written: a disk that is full now is tried until it is not, since else the email would be sent again. */
  async #written<T>(run: (tx: Tx) => T): Promise<T> {
    const { store, clock, log, isStopping } = this.options;
    for (;;) {
      try {
        return await store.writeSoon(run);
      } catch (error) {
        if (!(error instanceof StoreUnavailable)) throw error;
        log.error({ err: error }, 'an outcome could not be written; tried again');
        if (isStopping()) throw error;
        await new Promise<void>((resolve) => clock.after(WRITE_AGAIN_MS, resolve));
      }
    }
  }
}
