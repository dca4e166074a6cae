import type { EmailLinks } from '../composing/index.js';
import {
  lotOf,
  QueueSchedule,
  readFairnessKey,
  type Block,
  type ProviderChange,
  type ProviderRouter,
  type RetryPlan,
  type RouteEntry,
  type RouterTime,
} from '@verbalis/core/delivery';
import { returnToken } from '@verbalis/core/returns';
import type { Outcome } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import {
  ThreadFault,
  type Clock,
  type ClockJump,
  type Reader,
  type StepResult,
  type Tx,
  type Worker,
  type WorkerGroup,
  newId,
} from '../../kernel/index.js';
import { ownFact, type DeliveryRow, type MessageRow, type WaitingDelivery } from '../messages/index.js';
import type { Holding } from '../holds/index.js';
import type { Gate } from '../providers/index.js';
import { choiceOf, type ChoiceRules } from './choice.js';
import { drain, DRAIN_MS } from './drain.js';
import { fetchAttachments, type OutsideLimits } from './fetch-attachments.js';
import { gateOf, type Traffic } from './gate.js';
import type { Store } from './store.js';
import type { Handed, HandOverJob } from './hand-over.js';
import { Recording, WORKER, type QuarantinedDelivery } from './recording.js';
import type { UnderWay } from './under-way.js';

/** The way of an email: its space's, or to the captured ones, for what a rule of the space keeps. */
export type RouteName = 'usual' | 'kept';

export interface DispatchOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  readonly outside: OutsideLimits;
  readonly retries: RetryPlan;
  /** What has been due for so long is given up, in milliseconds. */
  readonly giveUpMs: number;
  /** What may have been sent goes to another provider after so long, in milliseconds; Infinity where it never does. */
  readonly elsewhereMs: number;
  /** The host of return paths for email of a sender's domain. */
  readonly returnHostFor: (senderDomain: string) => string;
  readonly returnSecret: Uint8Array;
  /** Makes an email and hands it over, here or elsewhere. @throws when the mail cannot be made */
  readonly handOver: (job: HandOverJob, gate: Gate) => Promise<Handed>;
  /** A message with what its recipients may read; without its sensitive data for what is kept here. @throws where they are gone */
  readonly readable: (message: MessageRow, delivery: DeliveryRow) => MessageRow | Promise<MessageRow>;
  /** What the service puts into an email that leads to itself. */
  readonly linksOf: (message: MessageRow, delivery: DeliveryRow) => EmailLinks;
  /** The providers of a space, in order. A space that captures has one that sends nothing. */
  readonly routeOf: (space: string, route: RouteName) => readonly RouteEntry[];
  readonly router: ProviderRouter;
  /** Is called when a provider gets into trouble, or works again. */
  readonly changed: (change: ProviderChange) => void;
  /** Why a delivery must not be sent, in a sentence; looked at again before every attempt. */
  readonly suppressionFor: (delivery: DeliveryRow, from: Reader) => string | undefined;
  /** What a person wants held. */
  readonly holding: Pick<Holding, 'heldBy' | 'keep' | 'reasonOf'>;
  /** From 0 to 1. */
  readonly random: () => number;
}

/** Slots are filled together after so many milliseconds: looking into the queue costs the same for one or for many. */
const ROOM_MS = 8;
/** While so many outcomes wait to be written, nothing new begins. */
const MOST_UNWRITTEN = 500;
/** However careful: what was looked at is looked at again after a while. In milliseconds. */
const LOOK_AT_ALL_MS = 60_000;

/**
 * The queue's loop: look what may go, hand over, record. What is under way is known in memory alone until its content may leave: only then is
 * the attempt recorded, so that a crash before leaves nothing to doubt, and nothing leaves that was canceled meanwhile.
 */
export class Dispatcher {
  readonly #worker: Worker;
  readonly #underWay = new Map<string, UnderWay>();
  readonly #schedule: QueueSchedule<WaitingDelivery>;
  readonly #recording: Recording;
  readonly #owner: string;
  #deferred: { readonly row: WaitingDelivery; readonly block: Block }[] = [];
  #slots = 0;
  #unbegun = 0;
  readonly #traffic: Traffic = { asking: 0, leaving: 0 };
  /** Nothing more begins. */
  #stopping = false;
  /** What cannot be written is not tried again. */
  #ending = false;
  readonly #unlisten: () => void;
  #roomTimer: NodeJS.Timeout | undefined;
  #lookedAtAll = Number.NEGATIVE_INFINITY;

  constructor(private readonly options: DispatchOptions) {
    const { store, workers, router } = options;
    this.#owner = `run-${store.epoch}`;
    this.#worker = workers.add({ name: WORKER, step: () => this.#step() });
    this.#recording = new Recording({
      ...options,
      rulesOf: (line) => this.#rulesOf(line),
      time: () => this.#time,
      isStopping: () => this.#ending,
      dueAgain: (line, at) => {
        this.#schedule.touched(line, at);
      },
    });
    this.#schedule = new QueueSchedule<WaitingDelivery>({
      router,
      routeOf: (line) => this.#routeOf(line),
      choiceOf: (row) => choiceOf(row, this.#rulesOf(row.fairnessKey)),
      lotOf: (row) => lotOf(row.address),
      isUnderWay: this.#isUnderWay,
      // What has begun does not stand among what waits.
      underWay: () => this.#unbegun,
      begin: (row, provider) => {
        this.#begin(row, provider);
      },
      defer: (row, block) => {
        this.#deferred.push({ row, block });
      },
    });
    this.#unlisten = store.deliveries.onDue((line, at) => {
      this.#schedule.touched(line, at);
    });
    store.quarantine.register(WORKER, {
      retry: (tx, { payload }) => {
        if (store.deliveries.release(tx, (payload as QuarantinedDelivery).deliveryId, options.clock.now())) tx.afterCommit(this.wake);
      },
      drop: (tx, { payload, error }) => {
        const { deliveryId } = payload as QuarantinedDelivery;
        const now = options.clock.now();
        const diagnostic = `The email could not be made: ${error}`;
        const fact = ownFact({ id: `dropped:${deliveryId}:${now}`, deliveryId, kind: 'failed', at: now, diagnostic });
        store.deliveries.record(tx, fact, now);
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

  /**
   * Begins nothing more. What has begun goes on and is recorded when it ends: its delivery is marked as under way, so that nobody
   * else takes it up.
   */
  async rest(): Promise<void> {
    this.#stopping = true;
    clearTimeout(this.#roomTimer);
    this.#roomTimer = undefined;
    this.#unlisten();
    await this.#worker.stop(DRAIN_MS);
  }

  /**
   * Begins nothing more. What has not begun to leave is not waited for: it was not made. The rest is, but not longer than the drain time: what
   * is left then is uncertain at the next start.
   */
  async stop(): Promise<void> {
    const { log } = this.options;
    this.#ending = true;
    await this.rest();
    await drain(() => [...this.#underWay.values()].flatMap(({ attempt, work }) => (attempt.hasBegun ? [work] : [])), log);
  }

  /** The date jumped: what waited for a while goes on waiting for as long, what is under way stays so. */
  async clockJumped(jump: ClockJump): Promise<void> {
    const { store, log } = this.options;
    const moved = await store.deliveries.moveWaits(jump, store.write);
    if (moved > 0) log.warn({ deliveries: moved }, 'deliveries that wait were moved with the clock');
    this.#schedule.reset();
    this.wake();
  }

  /** What a delivery waits for that is due or under way, in a sentence without a full stop; undefined where only its time is waited for. */
  waitsFor(row: DeliveryRow): string | undefined {
    const { clock, router, holding } = this.options;
    const held = holding.reasonOf(row);
    if (held !== undefined) return held;
    const known = this.#underWay.get(row.id);
    if (known !== undefined) return `it is being handed over to ${known.attempt.provider}`;
    const isDue = (row.nextAttemptAt ?? Number.POSITIVE_INFINITY) <= clock.now();
    if (row.nextAttemptAt === null || (!isDue && row.attempts === 0)) return undefined;
    router.pause(this.options.store.providers.paused());
    const { space, urgent } = readFairnessKey(row.fairnessKey);
    const route = this.#routeOf(row.fairnessKey);
    const choice = router.choose({
      route,
      space,
      urgent,
      domain: row.domain,
      lot: lotOf(row.address),
      ...choiceOf(row, this.#rulesOf(row.fairnessKey)),
      ...this.#time,
    });
    return 'block' in choice ? choice.block.reason : isDue ? 'emails before it are being sent' : undefined;
  }

  readonly #isUnderWay = (id: string): boolean => this.#underWay.has(id);

  get #time(): RouterTime {
    const { clock } = this.options;
    return { now: clock.elapsed(), date: clock.now() };
  }

  #routeOf(line: string): readonly RouteEntry[] {
    const { space, kept } = readFairnessKey(line);
    return this.options.routeOf(space, kept ? 'kept' : 'usual');
  }

  #rulesOf(line: string): ChoiceRules {
    return { route: this.#routeOf(line), elsewhereMs: this.options.elsewhereMs, now: this.options.clock.now() };
  }

  async #step(): Promise<StepResult> {
    const { store, clock, router } = this.options;
    const now = clock.now();
    const time = this.#time;
    router.pause(store.providers.paused());
    let did = 0;
    if (store.deliveries.hasOverdue(now)) did = await store.write((tx) => store.deliveries.expireOverdue(tx, now, this.#isUnderWay));
    if (this.#underWay.size - this.#slots >= MOST_UNWRITTEN) return { did };
    if (time.now - this.#lookedAtAll >= LOOK_AT_ALL_MS) {
      this.#lookedAtAll = time.now;
      this.#schedule.reset();
      did += await store.write((tx) => store.deliveries.expireWaiting(tx, now - this.options.giveUpMs, now, this.#isUnderWay));
    }
    const view = store.deliveries.waiting(now);
    const look = this.#schedule.look(view, time);
    did += look.began + (await this.#writeDeferred(time));
    if (look.hasMore) return { did: Math.max(1, did), next: 'now' };
    const due = store.deliveries.nextDueAt(view.lines(), now) ?? Number.POSITIVE_INFINITY;
    const next = Math.min(due, look.at === undefined ? due : now + Math.max(1, look.at - time.now));
    return { did, next: next === Number.POSITIVE_INFINITY ? undefined : next };
  }

  /** Emails that wait for something of their own are moved to when they are looked at again. */
  async #writeDeferred({ now, date }: RouterTime): Promise<number> {
    const { store } = this.options;
    const deferred = this.#deferred.splice(0);
    if (deferred.length === 0) return 0;
    await store.write((tx) => {
      for (const { row, block } of deferred) store.deliveries.defer(tx, row, date + Math.max(1000, block.at - now));
    });
    return deferred.length;
  }

  #begin({ id, at }: WaitingDelivery, provider: string): void {
    const { store, clock, router } = this.options;
    const row = store.deliveries.find(id);
    if (row === undefined) return;
    const now = clock.now();
    const attempt = {
      id: newId('a', now),
      deliveryId: row.id,
      owner: this.#owner,
      number: row.attempts + 1,
      provider,
      startedAt: now,
      hasBegun: false,
    };
    const stop = this.#stopFor(row, now);
    const { urgent } = readFairnessKey(row.fairnessKey);
    const slot = stop === undefined ? router.begin(provider, { ...row, sender: row.senderDomain, urgent, ...this.#time }) : undefined;
    if (slot !== undefined) this.#slots += 1;
    const underWay: UnderWay = { row, at, slot, attempt, isDenied: false, isConcluded: false, work: Promise.resolve() };
    this.#underWay.set(row.id, underWay);
    this.#unbegun += 1;
    const work = stop === undefined ? this.#attempt(underWay) : this.#recording.concluded(underWay, stop);
    underWay.work = work
      .catch((error: unknown) => {
        this.options.log.error({ err: error, delivery: row.id }, 'an attempt could not be recorded');
        // Found again when all is looked at, and not at once: what fails so would fail again.
        underWay.isConcluded = true;
      })
      .finally(() => {
        this.#release(underWay, undefined);
        this.#underWay.delete(row.id);
        if (underWay.attempt.hasBegun) this.#traffic.leaving -= 1;
        else this.#unbegun -= 1;
        // It waits where it stood, which was looked at already.
        if (!underWay.isConcluded) this.#schedule.touched(row.fairnessKey, at);
        this.#room();
      });
  }

  /** What is written of an email that is not to go: it is held, or suppressed. */
  #stopFor(row: DeliveryRow, now: number): ((tx: Tx) => void) | undefined {
    const { store, suppressionFor, holding } = this.options;
    if (holding.heldBy(row) !== undefined) return (tx) => holding.keep(tx, row);
    const reason = suppressionFor(row, store.reads);
    return reason === undefined ? undefined : (tx) => store.deliveries.withhold(tx, row, { reason }, now);
  }

  /** Gives the slot back, once. @param outcome undefined where nothing was learned of the provider */
  #release(underWay: UnderWay, outcome: Outcome | undefined): void {
    const { router, changed } = this.options;
    const { slot } = underWay;
    if (slot === undefined) return;
    underWay.slot = undefined;
    this.#slots -= 1;
    if (outcome === undefined) router.abandoned(slot, this.#time.date);
    else for (const change of router.ended(slot, outcome, this.#time)) changed(change);
    this.#room();
  }

  /** A slot is free. Slots that get free together are filled together. */
  #room(): void {
    if (this.#stopping) return;
    this.#roomTimer ??= setTimeout(() => {
      this.#roomTimer = undefined;
      this.wake();
    }, ROOM_MS);
  }

  async #attempt(underWay: UnderWay): Promise<void> {
    const { store } = this.options;
    const { row } = underWay;
    let handed: Handed;
    try {
      const message = store.messages.findAny(row.messageId);
      if (message === undefined) throw new Error(`The message ${row.messageId} does not exist.`);
      underWay.traceparent = message.more.traceparent;
      handed = await this.#hand(underWay, message);
    } catch (error) {
      // Whatever went wrong after the content may have left: nobody knows how far it came.
      if (underWay.attempt.hasBegun) {
        const reason = error instanceof Error ? error.message : String(error);
        handed = { outcome: { kind: 'uncertain', phase: 'content', reply: undefined, reason }, bytes: undefined };
      } else if (error instanceof ThreadFault) return;
      else {
        // An email that cannot be made (an edition that is gone, a fault of ours) does not count against a provider.
        this.#release(underWay, undefined);
        await this.#recording.unmade(underWay, error);
        return;
      }
    }
    const { outcome } = handed;
    if (underWay.isDenied) return;
    this.#release(underWay, outcome.phase === 'fetch' || outcome.phase === 'request' ? undefined : outcome);
    await this.#recording.ended(underWay, handed);
    store.quarantine.succeeded(WORKER, row.id);
  }

  async #hand(underWay: UnderWay, stored: MessageRow): Promise<Handed> {
    const { store, clock, router, holding, returnHostFor, returnSecret, handOver, linksOf, readable } = this.options;
    const { row, attempt } = underWay;
    const message = row.sensitive ? await readable(stored, row) : stored;
    const missing = await fetchAttachments(message, this.options);
    if (missing !== undefined) return { outcome: missing, bytes: undefined };
    // RFC 5321 4.5.5: what came from nobody returns to nobody.
    const host = returnHostFor(row.senderDomain);
    const returnPath = message.more.isFromNobody === true ? '' : `returns+${returnToken(returnSecret, row.id)}@${host}`;
    const job = { provider: attempt.provider, message, delivery: row, returnPath, links: linksOf(message, row) };
    const gate = gateOf(underWay, {
      store,
      clock,
      router,
      isHeld: (delivery, from) => holding.heldBy(delivery, from) !== undefined,
      isStopping: () => this.#stopping,
      traffic: this.#traffic,
      begun: () => {
        this.#unbegun -= 1;
        this.#traffic.leaving += 1;
      },
    });
    return handOver(job, gate);
  }
}
