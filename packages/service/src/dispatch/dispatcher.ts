import { meaningOf, waitAfter, type RetryPlan } from '@verbalis/core/delivery';
import { mailBytes } from '@verbalis/core/mime';
import { returnToken } from '@verbalis/core/returns';
import type { Outcome } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import { fetchOutside, OutsideFault, type OutsideRules } from '../outside/index.js';
import type { Provider } from '../providers/index.js';
import { newId, type DeliveryRow, type MessageRow, type NewFact } from '../store/index.js';
import { composeMail, type ComposeOptions } from './mail.js';

export interface DispatchOptions extends ComposeOptions {
  /** Where attachments may be fetched from, and how large and slow they may be. */
  readonly outside: OutsideRules & { readonly waitMs: number; readonly mostBytes: number };
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

/** Mails up to this size are kept as they were handed over; larger ones are made again when somebody looks. In bytes. */
const KEPT_MAIL = 1024 * 1024;

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
    const { store, clock, route } = this.options;
    const number = delivery.attempts + 1;
    const provider = route(delivery.space, number);
    const message = store.messages.findAny(delivery.messageId);
    if (message === undefined) throw new Error(`The message ${delivery.messageId} is not there.`);
    const id = newId('a', clock.now());
    store.deliveries.beginAttempt({ id, deliveryId: delivery.id, number, provider: provider?.name ?? 'none', startedAt: clock.now() });
    this.#record(delivery, id, number, await this.#hand(provider, message, delivery));
  }

  async #hand(provider: Provider | undefined, message: MessageRow, delivery: DeliveryRow): Promise<Outcome> {
    const { store, returnDomain, returnSecret } = this.options;
    if (provider === undefined) {
      return {
        kind: 'trouble',
        phase: 'connect',
        reply: undefined,
        reason: `The space "${delivery.space}" is not configured any more, so there is no provider for it.`,
      };
    }
    const missing = await this.#fetchAttachments(message);
    if (missing !== undefined) return missing;
    const { mail, parts } = composeMail(this.options, message, delivery);
    if (mail.size <= KEPT_MAIL) store.messages.keepMail(delivery.id, mailBytes(mail));
    const from = `returns+${returnToken(returnSecret, delivery.id)}@${returnDomain}`;
    return provider.hand({ envelope: { from, to: delivery.address, id: delivery.id }, mail, parts });
  }

  /** Fetches what is to be attached and stands elsewhere; once, so that every attempt sends the same. */
  async #fetchAttachments(message: MessageRow): Promise<Outcome | undefined> {
    const { store, outside, clock } = this.options;
    for (const row of store.contents.attachments(message.id)) {
      if (row.contentId !== null || row.url === null) continue;
      try {
        const { bytes, type } = await fetchOutside(row.url, outside, outside.mostBytes, outside.waitMs);
        const { id } = store.contents.keep(bytes, clock.now());
        store.contents.fetched(message.id, row.n, id, row.type === '' ? type : row.type);
      } catch (error) {
        if (!(error instanceof OutsideFault)) throw error;
        const reason = `The attachment "${row.name}" could not be fetched: ${error.message}`;
        return { kind: error.passing ? 'deferred' : 'refused', phase: 'fetch', reply: undefined, reason };
      }
    }
    return undefined;
  }

  #record(delivery: DeliveryRow, attemptId: string, number: number, outcome: Outcome): void {
    const { store, clock, retries, random, log } = this.options;
    const now = clock.now();
    const meaning = meaningOf(outcome);
    const planned = meaning.result === 'again' ? waitAfter(retries, number, meaning.cause, random()) : undefined;
    // A provider that says when to come again is believed, if it is later than we would.
    const wait = planned === undefined ? undefined : Math.max(planned, outcome.retryAfterMs ?? 0);
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
      providerId: outcome.providerId ?? null,
    };
    store.deliveries.endAttempt(attemptId, end, fact, wait === undefined ? undefined : now + wait, now);
    log.info({ delivery: delivery.id, attempt: number, outcome: outcome.kind, cause, waitMs: wait }, 'attempt ended');
  }
}
