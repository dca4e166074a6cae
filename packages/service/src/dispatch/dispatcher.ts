import { meaningOf, waitAfter, type RetryPlan, type RouteEntry, type Traffic } from '@verbalis/core/delivery';
import { foreignMail, inOnePiece, mailBytes } from '@verbalis/core/mime';
import { returnToken } from '@verbalis/core/returns';
import type { Outcome } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import { fetchOutside, OutsideFault, type OutsideRules } from '../outside/index.js';
import type { Provider } from '../providers/index.js';
import { newId, readLine, type Claimed, type Decision, type DeliveryRow, type MessageRow, type NewFact } from '../store/index.js';
import { bareParts, composeMail, type ComposeOptions } from './mail.js';

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
  readonly providers: ReadonlyMap<string, Provider>;
  /** The providers of a space, in order. A space that captures has one that sends nothing. */
  readonly routeOf: (space: string, kept: boolean) => readonly RouteEntry[];
  readonly traffic: Traffic;
  /** Why a delivery must not be sent, in a sentence; looked at again before every attempt. */
  readonly against: (delivery: DeliveryRow) => string | undefined;
  /** This process among those that work on the same file. */
  readonly worker: string;
  /** How often to look for what others have put into the file, in milliseconds; 0 where nobody else does. */
  readonly lookMs: number;
  /** From 0 to 1. */
  readonly random: () => number;
}

/** Mails up to this size are kept as they were handed over; larger ones are made again when somebody looks. In bytes. */
const KEPT_MAIL = 1024 * 1024;
/** Of all slots, those that only urgent mail gets: a slow bulk never holds up a sign-in code. */
const RESERVED = 0.2;
/** Slots that are filled at once when so large a part of them is free, and after so many milliseconds when it is not. */
const FILLED_TOGETHER = 0.25;
const ROOM_MS = 10;
/** Before an outcome that could not be written is tried again. */
const WRITE_AGAIN_MS = 1000;
/** How long a mail is looked after once we are told to stop. */
const DRAIN_MS = 30_000;

/** How a mail was taken, and its bytes where they are kept. */
interface Handed {
  readonly outcome: Outcome;
  readonly bytes: Uint8Array | undefined;
}

/** The queue's loop: claim, render, hand to a provider, record. Each step's progress is a row. */
export class Dispatcher {
  #running = false;
  readonly #underWay = new Map<string, Promise<void>>();
  #cancelTimer: (() => void) | undefined;
  #cancelHeartbeat: (() => void) | undefined;
  #scheduled = false;
  #claiming = false;
  #claimed: Promise<void> = Promise.resolve();
  #roomTimer: NodeJS.Timeout | undefined;
  /** Something came to be due while we were claiming. */
  #wakeAgain = false;

  constructor(private readonly options: DispatchOptions) {}

  /** Whether something is done now, and not only waited for. */
  get busy(): boolean {
    return this.#scheduled || this.#claiming || this.#roomTimer !== undefined || this.#underWay.size > 0;
  }

  start(): void {
    this.#running = true;
    this.wake();
  }

  /** Something may be due. */
  readonly wake = (): void => {
    if (this.#claiming) this.#wakeAgain = true;
    if (!this.#running || this.#scheduled || this.#claiming) return;
    this.#scheduled = true;
    setImmediate(() => {
      this.#scheduled = false;
      this.#wakeAgain = false;
      this.#claimed = this.#claim();
    });
  };

  /** Takes nothing more and waits for what is under way, but not for ever: what is left is found again at the next start. */
  async stop(): Promise<void> {
    this.#running = false;
    this.#cancelTimer?.();
    await this.#claimed;
    let timer: NodeJS.Timeout | undefined;
    const patience = new Promise<void>((resolve) => {
      timer = setTimeout(resolve, DRAIN_MS);
    });
    await Promise.race([Promise.all(this.#underWay.values()), patience]);
    clearTimeout(timer);
    this.#cancelHeartbeat?.();
  }

  /** Leases are renewed well before they run out, so that a slow hand-over is never taken for a dead worker. */
  #beat(): void {
    const { store, clock, leaseMs, worker, log } = this.options;
    if (this.#cancelHeartbeat !== undefined) return;
    this.#cancelHeartbeat = clock.at(clock.now() + leaseMs / 3, () => {
      this.#cancelHeartbeat = undefined;
      if (this.#underWay.size === 0) return;
      try {
        store.deliveries.renew([...this.#underWay.keys()], worker, clock.now() + leaseMs);
      } catch (error) {
        log.error({ err: error }, 'leases could not be renewed');
      }
      this.#beat();
    });
  }

  async #claim(): Promise<void> {
    if (!this.#running || this.#claiming) return;
    this.#claiming = true;
    const { store, clock, concurrency, leaseMs, log, worker, lookMs, traffic, routeOf } = this.options;
    this.#cancelTimer?.();
    this.#cancelTimer = undefined;
    const now = clock.now();
    let next = Number.POSITIVE_INFINITY;
    try {
      const free = concurrency - this.#underWay.size;
      traffic.pause(store.deliveries.paused());
      // A line without an open provider is not looked at until one may be open again.
      const isClosed = (name: string): boolean => {
        const { space, kept } = readLine(name);
        const until = traffic.closedUntil(routeOf(space, kept), now);
        next = Math.min(next, until ?? next);
        return until !== undefined;
      };
      if (free > 0 && (store.deliveries.nextDueAt(isClosed) ?? Number.POSITIVE_INFINITY) <= now) {
        const reserved = concurrency >= 5 ? Math.ceil(concurrency * RESERVED) : 0;
        const wanted = { now, most: free, optionalMost: Math.max(0, free - reserved), leaseMs, owner: worker };
        // Shares its commit with the outcomes that made room for it.
        const claimed = await store.group.write(() => store.deliveries.claim(wanted, isClosed, (row) => this.#decide(row, now)));
        for (const one of claimed) this.#begin(one);
      }
      if (this.#underWay.size < concurrency) next = Math.min(next, store.deliveries.nextDueAt(isClosed) ?? next);
    } catch (error) {
      log.error({ err: error }, 'the queue could not be read');
      next = now + 1000;
    }
    this.#claiming = false;
    if (lookMs > 0) next = Math.min(next, now + lookMs);
    if (this.#wakeAgain) this.wake();
    // What stays due is held back by the slots for urgent mail; a slot that gets free wakes us.
    else if (next !== Number.POSITIVE_INFINITY) this.#cancelTimer = clock.at(Math.max(next, now + 5), this.wake);
  }

  #decide(row: DeliveryRow, now: number): Decision {
    const { routeOf, traffic, random, against } = this.options;
    const withhold = against(row);
    if (withhold !== undefined) return { withhold };
    const choice = traffic.choose(routeOf(row.space, row.kept), row.domain, row.avoid ?? undefined, now, random());
    return 'provider' in choice ? { provider: choice.provider, attemptId: newId('a', now) } : { waitUntil: choice.waitUntil };
  }

  #begin(claimed: Claimed): void {
    const { id } = claimed.delivery;
    const work = this.#attempt(claimed)
      .catch((error: unknown) => {
        // The lease runs out and the delivery is tried again.
        this.options.log.error({ err: error, delivery: id }, 'an attempt could not be made');
      })
      .finally(() => {
        this.#underWay.delete(id);
        this.#room();
      });
    this.#underWay.set(id, work);
    this.#beat();
  }

  /** A slot is free. Slots are filled together where more of them follow at once: looking into the queue costs the same for one or for many. */
  #room(): void {
    const { concurrency } = this.options;
    if (this.#underWay.size <= concurrency * (1 - FILLED_TOGETHER)) {
      clearTimeout(this.#roomTimer);
      this.#roomTimer = undefined;
      this.wake();
      return;
    }
    this.#roomTimer ??= setTimeout(() => {
      this.#roomTimer = undefined;
      this.wake();
    }, ROOM_MS);
  }

  async #attempt({ delivery, number, attemptId, provider: name }: Claimed): Promise<void> {
    const { store, providers } = this.options;
    const message = store.messages.findAny(delivery.messageId);
    if (message === undefined) throw new Error(`The message ${delivery.messageId} is not there.`);
    let handed: Handed;
    try {
      handed = await this.#hand(providers.get(name), message, delivery);
    } catch (error) {
      // A mail that cannot be made (an edition that is gone, a full disk) is no word of any provider's.
      this.options.log.error({ err: error, delivery: delivery.id }, 'a mail could not be made');
      const reason = `The mail could not be made: ${error instanceof Error ? error.message : String(error)}`;
      handed = { outcome: { kind: 'deferred', phase: 'request', reply: undefined, reason }, bytes: undefined };
    }
    await this.#record(delivery, attemptId, number, name, handed);
  }

  async #hand(provider: Provider | undefined, message: MessageRow, delivery: DeliveryRow): Promise<Handed> {
    const { store, returnDomain, returnSecret } = this.options;
    if (provider === undefined) {
      const reason = 'The provider is not configured any more.';
      return { outcome: { kind: 'trouble', phase: 'connect', reply: undefined, reason }, bytes: undefined };
    }
    const missing = await this.#fetchAttachments(message);
    if (missing !== undefined) return { outcome: missing, bytes: undefined };
    // What an app handed in as a whole is captured as it came, byte for byte, however broken it is.
    const { mail, parts } =
      provider.kind === 'capture' && message.more.raw !== undefined
        ? { mail: foreignMail(mailBytes(store.contents.bytes(message.more.raw))), parts: bareParts(message, delivery) }
        : await composeMail(this.options, message, delivery);
    const isKept = mail.size <= KEPT_MAIL && provider.kind !== 'capture';
    const handed = isKept ? inOnePiece(mail, KEPT_MAIL) : mail;
    const from = `returns+${returnToken(returnSecret, delivery.id)}@${returnDomain}`;
    const outcome = await provider.hand({ envelope: { from, to: delivery.address, id: delivery.id }, mail: handed, parts });
    return { outcome, bytes: isKept ? mailBytes(handed) : undefined };
  }

  /** Fetches what is to be attached and stands elsewhere; once, so that every attempt sends the same. */
  async #fetchAttachments(message: MessageRow): Promise<Outcome | undefined> {
    const { store, outside, clock } = this.options;
    for (const row of store.contents.attachments(message)) {
      if (row.contentId !== null || row.url === null) continue;
      try {
        const { bytes, type } = await fetchOutside(row.url, outside, outside.mostBytes, outside.waitMs);
        await store.group.write(() => {
          const { id } = store.contents.keep(bytes, clock.now());
          store.contents.fetched(message.id, row.n, id, row.type === '' ? type : row.type);
        });
      } catch (error) {
        if (!(error instanceof OutsideFault)) throw error;
        const reason = `The attachment "${row.name}" could not be fetched: ${error.message}`;
        return { kind: error.passing ? 'deferred' : 'refused', phase: 'fetch', reply: undefined, reason };
      }
    }
    return undefined;
  }

  /** What has happened must be written: a disk that is full now is tried until it is not, since else the mail would be sent again. */
  async #written(write: () => void): Promise<void> {
    const { store, clock, log } = this.options;
    for (;;) {
      try {
        await store.group.writeSoon(write);
        return;
      } catch (error) {
        log.error({ err: error }, 'an outcome could not be written; tried again');
        if (!this.#running) throw error;
        await new Promise<void>((resolve) => clock.at(clock.now() + WRITE_AGAIN_MS, resolve));
      }
    }
  }

  async #record(delivery: DeliveryRow, attemptId: string, number: number, provider: string, handed: Handed): Promise<void> {
    const { outcome, bytes } = handed;
    const { store, clock, retries, random, log, traffic, routeOf } = this.options;
    const now = clock.now();
    traffic.ended(provider, delivery.domain, outcome, now);
    const meaning = meaningOf(outcome);
    const failedOver =
      outcome.kind === 'trouble' && traffic.hasOther(routeOf(delivery.space, delivery.kept), provider, delivery.domain, now);
    const planned = meaning.result === 'again' ? waitAfter(retries, number, meaning.cause, random()) : undefined;
    // A provider that says when to come again is believed, if it is later than we would; another provider need not wait at all.
    const wait = planned === undefined ? undefined : failedOver ? 0 : Math.max(planned, outcome.retryAfterMs ?? 0);
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
    // A deadline that comes before the next attempt is looked at when it comes.
    const at = wait === undefined ? undefined : Math.min(now + wait, delivery.expiresAt ?? Number.POSITIVE_INFINITY);
    const avoid = outcome.kind === 'trouble' ? provider : undefined;
    await this.#written(() => {
      // The same bytes can be made again, should we not come so far.
      if (bytes !== undefined) store.messages.keepMail(delivery.id, bytes);
      store.deliveries.endAttempt(attemptId, end, fact, { at, avoid }, now);
    });
    log.info({ delivery: delivery.id, attempt: number, provider, outcome: outcome.kind, cause, waitMs: wait }, 'attempt ended');
  }
}
