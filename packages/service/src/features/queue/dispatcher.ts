import {
  readFairnessKey,
  meaningOf,
  waitAfter,
  type RetryPlan,
  type RouteEntry,
  type ProviderRouter,
  type RouterDraft,
} from '@verbalis/core/delivery';
import { returnToken } from '@verbalis/core/returns';
import type { Outcome } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import {
  StoreUnavailable,
  type Clock,
  type Reader,
  type StepResult,
  type Tx,
  type Worker,
  type WorkerGroup,
  fetchOutside,
  OutsideFault,
  type OutsideRules,
  newId,
} from '../../kernel/index.js';
import { type Claimed, type Decision, type DeliveryRow, type MessageRow, type NewFact } from '../messages/index.js';
import type { Store } from './store.js';
import type { Handed, HandOverJob } from './hand-over.js';

/** The way of an email: its space's, or to the captured ones, for what a rule of the space keeps. */
export type RouteName = 'usual' | 'kept';

export interface DispatchOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  /** Where attachments may be fetched from, and how large and slow they may be. */
  readonly outside: OutsideRules & { readonly waitMs: number; readonly mostBytes: number };
  readonly retries: RetryPlan;
  readonly concurrency: number;
  readonly leaseMs: number;
  readonly returnDomain: string;
  readonly returnSecret: Uint8Array;
  /** Makes an email and hands it over, here or elsewhere. @throws when the mail cannot be made */
  readonly handOver: (job: HandOverJob) => Promise<Handed>;
  /** Where one click ends the topic for the recipient of a delivery; none for mail that is essential. */
  readonly unsubscribe: (delivery: DeliveryRow) => string | undefined;
  /** The providers of a space, in order. A space that captures has one that sends nothing. */
  readonly routeOf: (space: string, route: RouteName) => readonly RouteEntry[];
  readonly router: ProviderRouter;
  /** Why a delivery must not be sent, in a sentence; looked at again before every attempt. */
  readonly suppressionFor: (delivery: DeliveryRow, from: Reader) => string | undefined;
  /** From 0 to 1. */
  readonly random: () => number;
}

const NAME = 'queue';
/** Of all slots, those that only urgent mail gets: a slow bulk never holds up a sign-in code. */
const RESERVED = 0.2;
/** Slots that are filled at once when so large a part of them is free, and after so many milliseconds when it is not. */
const FILLED_TOGETHER = 0.25;
const ROOM_MS = 10;
/** Before an outcome that could not be written is tried again. */
const WRITE_AGAIN_MS = 1000;
/** How long an email is looked after once we are told to stop. */
const DRAIN_MS = 30_000;

/** What is needed to try a quarantined delivery again. */
interface HeldDelivery {
  readonly deliveryId: string;
}

/** The queue's loop: claim, hand over, record. Each step's progress is a row. */
export class Dispatcher {
  readonly #worker: Worker;
  readonly #underWay = new Map<string, Promise<void>>();
  readonly #owner: string;
  #stopping = false;
  #cancelHeartbeat: (() => void) | undefined;
  #roomTimer: NodeJS.Timeout | undefined;

  constructor(private readonly options: DispatchOptions) {
    const { store, workers } = options;
    this.#owner = `run-${store.epoch}`;
    this.#worker = workers.add({ name: NAME, step: () => this.#step() });
    store.quarantine.register(NAME, {
      retry: (tx, { payload }) => {
        if (store.deliveries.release(tx, (payload as HeldDelivery).deliveryId, options.clock.now())) tx.afterCommit(this.wake);
      },
      drop: (tx, { payload, error }) => {
        const { deliveryId } = payload as HeldDelivery;
        const now = options.clock.now();
        const diagnostic = `The email could not be made: ${error}`;
        store.deliveries.record(
          tx,
          { ...NOTHING, id: `dropped:${deliveryId}:${now}`, deliveryId, kind: 'failed', at: now, diagnostic },
          now,
        );
      },
    });
  }

  /** Whether something is done now, and not only waited for. */
  get busy(): boolean {
    return this.#worker.busy() || this.#roomTimer !== undefined || this.#underWay.size > 0;
  }

  start(): void {
    this.#worker.start();
  }

  /** Something may be due. */
  readonly wake = (): void => {
    this.#worker.wake();
  };

  /** Claims nothing more and waits for what is under way, but not longer than the drain time: what is left is found at the next start. */
  async stop(): Promise<void> {
    this.#stopping = true;
    clearTimeout(this.#roomTimer);
    this.#roomTimer = undefined;
    await this.#worker.stop(DRAIN_MS);
    let timer: NodeJS.Timeout | undefined;
    const patience = new Promise<void>((resolve) => {
      timer = setTimeout(resolve, DRAIN_MS);
    });
    await Promise.race([Promise.all(this.#underWay.values()), patience]);
    clearTimeout(timer);
    this.#cancelHeartbeat?.();
  }

  /** Leases are renewed well before they run out, so that a slow hand-over is never taken for one of an earlier run. */
  #beat(): void {
    const { store, clock, leaseMs, log } = this.options;
    this.#cancelHeartbeat ??= clock.after(leaseMs / 3, () => {
      this.#cancelHeartbeat = undefined;
      if (this.#underWay.size === 0) return;
      const ids = [...this.#underWay.keys()];
      store
        .write((tx) => {
          store.deliveries.renew(tx, ids, this.#owner, clock.now() + leaseMs);
        })
        .catch((error: unknown) => {
          log.error({ err: error }, 'leases could not be renewed');
        });
      this.#beat();
    });
  }

  async #step(): Promise<StepResult> {
    const { store, clock, concurrency, leaseMs, router, routeOf } = this.options;
    const now = clock.now();
    let next = Number.POSITIVE_INFINITY;
    router.pause(store.providers.paused());
    // A line without an open provider is not looked at until one may be open again.
    const isClosed = (name: string): boolean => {
      const { space, kept } = readFairnessKey(name);
      const until = router.closedUntil(routeOf(space, kept ? 'kept' : 'usual'), now);
      next = Math.min(next, until ?? next);
      return until !== undefined;
    };
    const free = concurrency - this.#underWay.size;
    let did = 0;
    if (free > 0 && (store.deliveries.nextDueAt(isClosed) ?? Number.POSITIVE_INFINITY) <= now) {
      const reserved = concurrency >= 5 ? Math.ceil(concurrency * RESERVED) : 0;
      const wanted = {
        now,
        most: free,
        optionalMost: Math.max(0, free - reserved),
        leaseMs,
        owner: this.#owner,
        isUnderWay: this.#isUnderWay,
      };
      // Shares its commit with the outcomes that made room for it. Who was chosen counts only once it is written.
      const claimed = await store.write((tx) => {
        const draft = router.draft();
        const rows = store.deliveries.claim(tx, wanted, isClosed, (row) => this.#decide(row, now, draft, tx));
        tx.afterCommit(() => {
          draft.keep(now);
        });
        return rows;
      });
      did = claimed.length;
      for (const one of claimed) this.#begin(one);
    }
    if (this.#underWay.size < concurrency) next = Math.min(next, store.deliveries.nextDueAt(isClosed) ?? next);
    // What stays due is held back by the slots for urgent mail; a slot that gets free wakes us.
    return { did, next: next === Number.POSITIVE_INFINITY ? undefined : next <= now && this.#underWay.size > 0 ? now + 5 : next };
  }

  readonly #isUnderWay = (id: string): boolean => this.#underWay.has(id);

  #decide(row: DeliveryRow, now: number, draft: RouterDraft, from: Reader): Decision {
    const { routeOf, random, suppressionFor } = this.options;
    const withhold = suppressionFor(row, from);
    if (withhold !== undefined) return { withhold };
    const choice = draft.choose(routeOf(row.space, row.kept ? 'kept' : 'usual'), {
      domain: row.domain,
      avoid: row.avoid ?? undefined,
      now,
      random: random(),
    });
    return 'provider' in choice ? { provider: choice.provider, attemptId: newId('a', now) } : { waitUntil: choice.waitUntil };
  }

  #begin(claimed: Claimed): void {
    const { id } = claimed.delivery;
    const work = this.#attempt(claimed)
      .catch((error: unknown) => {
        // The lease runs out and the delivery is tried again.
        this.options.log.error({ err: error, delivery: id }, 'an attempt could not be recorded');
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
    if (this.#stopping) return;
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

  async #attempt(claimed: Claimed): Promise<void> {
    const { store, router } = this.options;
    let handed: Handed;
    try {
      const message = store.messages.findAny(claimed.delivery.messageId);
      if (message === undefined) throw new Error(`The message ${claimed.delivery.messageId} does not exist.`);
      handed = await this.#hand(claimed, message);
    } catch (error) {
      // An email that cannot be made (an edition that is gone, a fault of ours) says nothing of any provider.
      router.abandoned(claimed.provider, this.options.clock.now());
      await this.#unmade(claimed, error);
      return;
    }
    await this.#record(claimed, handed);
    store.quarantine.succeeded(NAME, claimed.delivery.id);
  }

  async #hand({ delivery, provider }: Claimed, message: MessageRow): Promise<Handed> {
    const { returnDomain, returnSecret, handOver, unsubscribe } = this.options;
    const missing = await this.#fetchAttachments(message);
    if (missing !== undefined) return { outcome: missing, bytes: undefined };
    const returnPath = `returns+${returnToken(returnSecret, delivery.id)}@${returnDomain}`;
    return handOver({ provider, message, delivery, returnPath, unsubscribeUrl: unsubscribe(delivery) });
  }

  /** The email could not be made: it is tried again, and after some tries it waits in quarantine until a person decides. */
  async #unmade({ delivery, number, attemptId }: Claimed, error: unknown): Promise<void> {
    const { store, clock } = this.options;
    const now = clock.now();
    const again = error instanceof StoreUnavailable ? now + WRITE_AGAIN_MS : store.quarantine.failed(NAME, delivery.id, error);
    const diagnostic = `The email could not be made: ${error instanceof Error ? error.message : String(error)}`;
    await this.#written((tx) => {
      store.deliveries.unmade(tx, { id: attemptId, deliveryId: delivery.id, owner: this.#owner, number }, { diagnostic, again, now });
      if (again === undefined)
        store.quarantine.put(tx, {
          worker: NAME,
          item: {
            key: delivery.id,
            space: delivery.space,
            title: `Email to ${delivery.address}`,
            payload: { deliveryId: delivery.id } satisfies HeldDelivery,
          },
          error,
          id: newId('q', now),
        });
    });
  }

  /** Fetches what is to be attached and is elsewhere; once, so that every attempt sends the same. */
  async #fetchAttachments(message: MessageRow): Promise<Outcome | undefined> {
    const { store, outside, clock } = this.options;
    for (const row of store.contents.attachments(message)) {
      if (row.contentId !== null || row.url === null) continue;
      try {
        const { bytes, type } = await fetchOutside(row.url, outside, outside.mostBytes, outside.waitMs);
        await store.write((tx) => {
          const { id } = store.contents.keep(tx, bytes, clock.now());
          store.contents.fetched(tx, { messageId: message.id, n: row.n, contentId: id, type: row.type === '' ? type : row.type });
        });
      } catch (error) {
        if (!(error instanceof OutsideFault)) throw error;
        const reason = `The attachment "${row.name}" could not be fetched: ${error.message}`;
        return { kind: error.passing ? 'deferred' : 'refused', phase: 'fetch', reply: undefined, reason };
      }
    }
    return undefined;
  }

  /** What has happened must be written: a disk that is full now is tried until it is not, since else the email would be sent again. */
  async #written<T>(run: (tx: Tx) => T): Promise<T> {
    const { store, clock, log } = this.options;
    for (;;) {
      try {
        return await store.writeSoon(run);
      } catch (error) {
        if (!(error instanceof StoreUnavailable)) throw error;
        log.error({ err: error }, 'an outcome could not be written; tried again');
        if (this.#stopping) throw error;
        await new Promise<void>((resolve) => clock.after(WRITE_AGAIN_MS, resolve));
      }
    }
  }

  async #record({ delivery, attemptId, number, provider }: Claimed, { outcome, bytes }: Handed): Promise<void> {
    const { store, clock, retries, random, log, router, routeOf } = this.options;
    const now = clock.now();
    router.ended(provider, delivery.domain, outcome, now);
    const meaning = meaningOf(outcome);
    const failedOver =
      outcome.kind === 'trouble' &&
      router.hasOther(routeOf(delivery.space, delivery.kept ? 'kept' : 'usual'), provider, delivery.domain, now);
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
    const attempt = { id: attemptId, deliveryId: delivery.id, owner: this.#owner, number };
    const held = await this.#written((tx) => {
      const isHeld = store.deliveries.endAttempt(tx, attempt, { end, fact, next: { at, avoid }, recordedAt: now });
      // The same bytes can be made again, should we not come so far.
      if (isHeld && bytes !== undefined) store.messages.keepMail(tx, delivery.id, bytes);
      return isHeld;
    });
    if (!held) log.warn({ delivery: delivery.id, attempt: number }, 'an attempt ended after its lease was lost; nothing was written');
    log.info({ delivery: delivery.id, attempt: number, provider, outcome: outcome.kind, cause, waitMs: wait }, 'attempt ended');
  }
}

const NOTHING = { source: 'service', cause: undefined, status: undefined, replyCode: undefined, diagnostic: undefined } as const;
