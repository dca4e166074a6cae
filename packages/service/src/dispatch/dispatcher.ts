import { meaningOf, waitAfter, type RetryPlan } from '@verbalis/core/delivery';
import { returnToken } from '@verbalis/core/returns';
import type { Outcome } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import type { Editions } from '../editions/index.js';
import type { Provider } from '../providers/index.js';
import { newId, type DeliveryRow, type NewFact, type Store } from '../store/index.js';
import { mailOf } from './mail.js';

export interface DispatchOptions {
  readonly store: Store;
  readonly editions: Editions;
  readonly clock: Clock;
  readonly log: Logger;
  readonly retries: RetryPlan;
  readonly concurrency: number;
  readonly leaseMs: number;
  readonly returnDomain: string;
  readonly returnSecret: Uint8Array;
  /** The provider that a delivery of this space goes to at this attempt (from 1). */
  readonly route: (space: string, attempt: number) => Provider | undefined;
  /** From 0 to 1. */
  readonly random: () => number;
}

/** The queue's loop: claim, render, hand to a provider, record. Each step's progress is a row. */
export class Dispatcher {
  #running = false;
  #underWay = new Set<Promise<void>>();
  #cancelTimer: (() => void) | undefined;
  #scheduled = false;

  constructor(private readonly options: DispatchOptions) {}

  start(): void {
    this.#running = true;
    this.wake();
  }

  /** Something may be due. */
  readonly wake = (): void => {
    if (!this.#running || this.#scheduled) return;
    this.#scheduled = true;
    setImmediate(() => {
      this.#scheduled = false;
      this.#claim();
    });
  };

  /** Takes nothing more and waits for what is under way. */
  async stop(): Promise<void> {
    this.#running = false;
    this.#cancelTimer?.();
    await Promise.all(this.#underWay);
  }

  #claim(): void {
    if (!this.#running) return;
    const { store, clock, concurrency, leaseMs, log } = this.options;
    this.#cancelTimer?.();
    this.#cancelTimer = undefined;
    try {
      const free = concurrency - this.#underWay.size;
      if (free > 0) {
        for (const delivery of store.deliveries.claim(clock.now(), free, leaseMs)) this.#begin(delivery);
      }
      if (this.#underWay.size < concurrency) {
        const next = store.deliveries.nextDueAt();
        if (next !== undefined) this.#cancelTimer = clock.at(next, this.wake);
      }
    } catch (error) {
      log.error({ err: error }, 'the queue could not be read');
      this.#cancelTimer = clock.at(clock.now() + 1000, this.wake);
    }
  }

  #begin(delivery: DeliveryRow): void {
    const work = this.#attempt(delivery)
      .catch((error: unknown) => {
        // The lease runs out and the delivery is tried again.
        this.options.log.error({ err: error, delivery: delivery.id }, 'an attempt could not be made');
      })
      .finally(() => {
        this.#underWay.delete(work);
        this.wake();
      });
    this.#underWay.add(work);
  }

  async #attempt(delivery: DeliveryRow): Promise<void> {
    const { store, clock, editions, route, returnDomain, returnSecret } = this.options;
    const number = delivery.attempts + 1;
    const provider = route(delivery.space, number);
    const message = store.messages.findAny(delivery.messageId);
    if (message === undefined) throw new Error(`The message ${delivery.messageId} is not there.`);
    let mail: Uint8Array | undefined = store.messages.mail(message.id);
    if (mail === undefined) {
      mail = mailOf(message, editions);
      store.messages.keepMail(message.id, mail);
    }
    const id = newId('a', clock.now());
    store.deliveries.beginAttempt({ id, deliveryId: delivery.id, number, provider: provider?.name ?? 'none', startedAt: clock.now() });
    const envelope = { from: `returns+${returnToken(returnSecret, delivery.id)}@${returnDomain}`, to: delivery.address };
    const outcome: Outcome =
      provider === undefined
        ? {
            kind: 'trouble',
            phase: 'connect',
            reply: undefined,
            reason: `The space "${delivery.space}" is not configured any more, so there is no provider for it.`,
          }
        : await provider.hand(envelope, mail);
    this.#record(delivery, id, number, outcome);
  }

  #record(delivery: DeliveryRow, attemptId: string, number: number, outcome: Outcome): void {
    const { store, clock, retries, random, log } = this.options;
    const now = clock.now();
    const meaning = meaningOf(outcome);
    const wait = meaning.result === 'again' ? waitAfter(retries, number, meaning.cause, random()) : undefined;
    const kind = meaning.result === 'accepted' ? 'accepted' : meaning.result === 'failed' || wait === undefined ? 'failed' : 'delayed';
    const { cause, status, replyCode, diagnostic } = meaning;
    const fact: NewFact = {
      id: `${attemptId}:${kind}`,
      deliveryId: delivery.id,
      kind,
      source: 'attempt',
      at: now,
      cause,
      status,
      replyCode,
      diagnostic,
    };
    const end = {
      endedAt: now,
      outcome: outcome.kind,
      phase: outcome.phase,
      replyCode: replyCode ?? null,
      status: status ?? null,
      diagnostic: diagnostic ?? null,
    };
    store.deliveries.endAttempt(attemptId, end, fact, wait === undefined ? undefined : now + wait, now);
    log.info({ delivery: delivery.id, attempt: number, outcome: outcome.kind, cause, waitMs: wait }, 'attempt ended');
  }
}
