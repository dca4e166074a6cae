import {
  eventOf,
  fieldsOf,
  GIVE_UP_MS,
  NotificationSchedule,
  passes,
  readFilter,
  waitBeforeNotice,
  webhookHeaders,
  type Filter,
} from '@verbalis/core/events';
import { readPayloadTemplate, type PayloadTemplate } from '@verbalis/core/payload';
import { Budget } from '@verbalis/core/problems';
import type { Logger } from 'pino';
import { type Clock, type StepResult, type Tx, type Worker, type WorkerGroup, newId } from '../../kernel/index.js';
import type { KnownEvent } from '../events/index.js';
import type { NotificationRow, StoredHead, SubscriptionRow } from './queries.js';
import type { RecentEvents } from './recent-events.js';
import type { Store } from './store.js';
import { ask, type Answer, type SendOptions } from './send.js';

/** What is encrypted of a subscription. */
export interface SubscriptionSecrets {
  /** The newest first; all of them sign. */
  readonly secrets: readonly string[];
  readonly headers: Readonly<Record<string, string>>;
}

export interface WorkerOptions extends SendOptions {
  readonly store: Store;
  readonly recent: RecentEvents;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  /** Where the service is reached. */
  readonly base: string | undefined;
  readonly random: () => number;
  /** Whether a subscription that has so many under way may have one more. */
  readonly hasRoom: (own: number) => boolean;
  readonly began: () => void;
  readonly ended: () => void;
}

/** Largest notification, in bytes. */
const MOST_BYTES = 4 * 1024 * 1024;
/** Entries, texts and turns of loops that a payload may have. */
const MOST_STEPS = 200_000;
/** Chunks that are gone through in one step when the filter lets nothing of them through. */
const CHUNKS_AT_ONCE = 5;
/** A consumer that fails is left alone for a second, then for two …, and probed by one notification at a time. */
const LIMITS = { most: 16, restsAfter: 5, firstRestMs: 1000, longestRestMs: 15 * 60_000 };
/** Before what could not be written is tried again: a full disk may have room then. */
const WRITE_AGAIN_MS = 1000;

/** What one notification holds. */
interface Ready {
  readonly events: readonly KnownEvent[];
  /** Tries made before, by place. */
  readonly attempts: number;
}

/** The name under which notifications stand in quarantine. */
export const NOTIFICATIONS = 'notifications';

/** What is needed to try a quarantined notification again. */
export interface HeldNotification {
  readonly subscriptionId: string;
  readonly seq: number;
}

const keyOf = (subscriptionId: string, seq: number): string => `${subscriptionId}/${seq}`;

/** What must come in order: events of one delivery. */
function orderKeyOf(event: KnownEvent): string {
  return event.deliveryId ?? event.id;
}

/**
 * One subscription at work: reads the events from where it is, sends what its filter lets through, in order for each delivery, and writes
 * the outcome. Its place moves on only over events that are done with or written down, so a crash sends some again and loses none.
 */
export class SubscriptionWorker {
  readonly #filter: Filter;
  readonly #payload: PayloadTemplate | undefined;
  #readTo: number;
  #written: number;
  readonly #schedule = new NotificationSchedule<KnownEvent>(LIMITS);
  /** Places that are read and not written down. */
  readonly #open = new Set<number>();
  readonly #worker: Worker;
  /** Events that cannot be made into notifications, with the error, until that is written. */
  readonly #poison = new Map<number, unknown>();
  #results: NotificationRow[] = [];
  #flushing = false;

  constructor(
    readonly row: SubscriptionRow,
    private readonly encrypted: SubscriptionSecrets,
    private readonly options: WorkerOptions,
  ) {
    this.#filter = readFilter(row.filter).filter ?? { kind: 'or', parts: [] };
    this.#payload = row.payload === null ? undefined : readPayloadTemplate(row.payload, 'payload').payload;
    this.#readTo = row.cursor;
    this.#written = row.cursor;
    for (const [key, head] of options.store.subscriptions.heads(row.id)) this.#schedule.setHead(key, this.#timed(head));
    this.#worker = options.workers.add({ name: `subscription ${row.name}`, step: () => this.#step() });
  }

  start(): void {
    this.#worker.start();
  }

  get busy(): boolean {
    return this.#schedule.underWay > 0 || this.#flushing || this.#worker.busy();
  }

  /** Since when it is left alone, and why. */
  get resting(): number | undefined {
    const { clock } = this.options;
    const until = this.#schedule.restsUntil(clock.elapsed());
    return until === undefined ? undefined : Math.round(clock.now() + until - clock.elapsed());
  }

  stop(): void {
    void this.#worker.stop();
  }

  /** Something may be there to be sent. */
  readonly wake = (): void => {
    this.#worker.wake();
  };

  #step(): StepResult {
    const { store, clock, hasRoom } = this.options;
    const schedule = this.#schedule;
    // By the monotonic clock: when the date jumps, nothing is late and nothing comes all at once.
    const now = clock.elapsed();
    const before = schedule.underWay;
    // What is due again comes first: what follows it under its key waits for it.
    while (hasRoom(schedule.underWay)) {
      const again = schedule.beginAgain(now);
      if (again === undefined) break;
      const [event] = store.events.at([again.seq]);
      if (event !== undefined) this.#begin({ events: [event], attempts: again.attempts });
      else {
        schedule.ended([again.key]);
        const problem = 'The event is no longer kept.';
        this.#note({ ...this.#untried(again.seq, again.key), attempts: again.attempts, state: 'dead-letter', nextAt: null, problem });
      }
    }
    while (schedule.room(now) > 0 && hasRoom(schedule.underWay)) {
      if (!schedule.hasFresh) {
        const found = this.#read(clock.now());
        if (found === 'more') return { did: 1, next: 'now' };
        if (found === 'end') break;
      }
      for (const { seq, key } of schedule.heldBack()) this.#note({ ...this.#untried(seq, key), nextAt: clock.now() });
      const fresh = schedule.beginFresh(now, this.row.batch);
      if (fresh.length === 0) break;
      this.#begin({ events: fresh.map(({ item }) => item), attempts: 0 });
    }
    return { did: Math.max(0, schedule.underWay - before), next: this.#dateOf(schedule.nextAt(now)) };
  }

  /** The head of a line as the schedule has it: due by the monotonic clock, and never after the wait it was given, whatever the date is now. */
  #timed<H extends StoredHead | undefined>(head: H): H {
    const { clock } = this.options;
    return head === undefined ? head : { ...head, dueAt: clock.elapsed() + Math.min(head.waitMs, Math.max(0, head.dueAt - clock.now())) };
  }

  #dateOf(at: number | undefined): number | undefined {
    const { clock } = this.options;
    return at === undefined ? undefined : clock.now() + Math.max(0, at - clock.elapsed());
  }

  /** The row of something that waits and was not tried. */
  #untried(seq: number, orderKey: string): NotificationRow {
    return {
      subscriptionId: this.row.id,
      seq,
      orderKey,
      attempts: 0,
      state: 'waiting',
      nextAt: null,
      lastAt: null,
      status: null,
      problem: null,
      milliseconds: null,
    };
  }

  #lets(event: KnownEvent): boolean {
    return this.row.filter === '' || passes(this.#filter, fieldsOf(event));
  }

  /** The same; an event that the filter cannot be asked about is held. */
  #letsOrHolds(event: KnownEvent): boolean {
    try {
      return this.#lets(event);
    } catch (error) {
      this.#open.add(event.seq);
      this.#hold({ events: [event], attempts: 0 }, error);
      return false;
    }
  }

  /** Reads on, but not too far at once. @returns whether something is ready, or there may be more to read, or nothing is left */
  #read(now: number): 'ready' | 'more' | 'end' {
    const { recent } = this.options;
    for (let chunk = 0; chunk < CHUNKS_AT_ONCE; chunk += 1) {
      const found = recent.after(this.#readTo);
      const last = found.at(-1);
      if (last === undefined) return 'end';
      this.#readTo = last.seq;
      for (const event of found) {
        if (event.space !== this.row.space || event.kind === 'test' || !this.#letsOrHolds(event)) continue;
        const key = orderKeyOf(event);
        const row = this.#untried(event.seq, key);
        this.#open.add(event.seq);
        if (now - event.recordedAt > GIVE_UP_MS)
          this.#note({ ...row, state: 'dead-letter', problem: 'It was too old when the consumer could be reached again.' });
        // Something under its key waits; it comes after that.
        else if (this.#schedule.waits(key)) this.#note({ ...row, nextAt: now });
        else this.#schedule.add({ seq: event.seq, key, item: event });
      }
      if (this.#schedule.hasFresh) return 'ready';
      // Nothing for this consumer in all of it: its place is moved on all the same.
      this.#flush();
    }
    return 'more';
  }

  #begin(ready: Ready): void {
    const { round } = this.#schedule;
    this.options.began();
    void this.send(ready.events)
      .then(
        (answer) => {
          this.#conclude(ready, answer, round);
        },
        (error: unknown) => {
          this.#unmade(ready, error);
        },
      )
      .catch((error: unknown) => {
        this.options.log.error({ err: error, subscription: this.row.id }, 'the outcome of a notification could not be written');
      })
      .finally(() => {
        this.options.ended();
        this.wake();
      });
  }

  /** A notification could not be made. Of several events each is tried by itself, so that one of them does not stop the others. */
  #unmade(ready: Ready, error: unknown): void {
    this.#schedule.ended(ready.events.map(orderKeyOf));
    if (ready.events.length === 1) this.#hold(ready, error);
    else this.#schedule.putBack(ready.events.map((event) => ({ seq: event.seq, key: orderKeyOf(event), item: event, isAlone: true })));
  }

  /** An event that cannot be made into a notification: tried again some times, then it waits in quarantine as a dead letter. */
  #hold({ events, attempts }: Ready, error: unknown): void {
    const { store, clock } = this.options;
    const [event] = events;
    if (event === undefined) return;
    const again = store.quarantine.failed(NOTIFICATIONS, keyOf(this.row.id, event.seq), error);
    if (again === undefined) this.#poison.set(event.seq, error);
    this.#note({
      subscriptionId: this.row.id,
      seq: event.seq,
      orderKey: orderKeyOf(event),
      attempts: attempts + 1,
      state: again === undefined ? 'dead-letter' : 'waiting',
      nextAt: again ?? null,
      lastAt: clock.now(),
      status: null,
      problem: `The notification could not be made: ${error instanceof Error ? error.message : String(error)}`,
      milliseconds: null,
    });
  }

  /** Hands events to the consumer, signed. Rejects when they cannot be made into a notification. */
  async send(events: readonly KnownEvent[]): Promise<Answer> {
    const { clock, base } = this.options;
    const [first] = events;
    if (first === undefined) throw new Error('A notification has an event.');
    const made = events.map((event) => eventOf(event, base));
    const isBatch = this.row.batch > 1;
    // A payload that someone defined may repeat what it is given.
    const work = new Budget(`The payload of ${this.row.name}`, { steps: MOST_STEPS, bytes: MOST_BYTES });
    const value: unknown = this.#payload === undefined ? (isBatch ? made : made[0]) : this.#payload({ event: made[0], events: made }, work);
    const body = JSON.stringify(value);
    if (this.#payload === undefined) work.spend(body.length);
    const type =
      this.#payload !== undefined ? 'application/json' : isBatch ? 'application/cloudevents-batch+json' : 'application/cloudevents+json';
    return ask(
      this.row.url,
      {
        method: 'POST',
        headers: {
          ...this.encrypted.headers,
          'content-type': `${type}; charset=utf-8`,
          'user-agent': 'Verbalis',
          // Where several events go at once, each says for itself to which trace it belongs.
          ...(isBatch || first.traceparent === undefined ? {} : { traceparent: first.traceparent }),
          ...(isBatch || first.tracestate === undefined ? {} : { tracestate: first.tracestate }),
          ...webhookHeaders(this.encrypted.secrets, first.id, clock.now(), body),
        },
        body,
      },
      this.options,
    );
  }

  #conclude(ready: Ready, answer: Answer, round: number): void {
    const { clock, random, log } = this.options;
    const now = clock.now();
    this.#schedule.ended(ready.events.map(orderKeyOf));
    if (answer.ok) this.#schedule.succeeded();
    else this.#schedule.failed(clock.elapsed(), { round, retryAfterMs: answer.retryAfterMs });
    const attempts = ready.attempts + 1;
    for (const event of ready.events) {
      const tooOld = now - event.recordedAt > GIVE_UP_MS;
      this.#note({
        subscriptionId: this.row.id,
        seq: event.seq,
        orderKey: orderKeyOf(event),
        attempts,
        state: answer.ok ? 'delivered' : tooOld || answer.gone ? 'dead-letter' : 'waiting',
        nextAt: answer.ok || tooOld || answer.gone ? null : now + waitBeforeNotice(attempts, answer.retryAfterMs, random()),
        lastAt: now,
        status: answer.status ?? null,
        problem: answer.problem ?? null,
        milliseconds: answer.milliseconds,
      });
    }
    if (answer.gone) {
      log.warn({ subscription: this.row.id }, 'the consumer says that it is gone; nothing more is sent to it');
      this.stop();
      const { store } = this.options;
      const reason = 'The consumer answered 410: it wants no more.';
      store
        .write((tx) => {
          store.subscriptions.change(tx, this.row.id, { state: 'gone', reason });
        })
        // The next start sends again, and gets the same answer.
        .catch((error: unknown) => {
          log.error({ err: error, subscription: this.row.id }, 'that a consumer is gone could not be written');
        });
    }
  }

  /** Writes how an event stands; with others, so that one commit carries many. */
  #note(row: NotificationRow): void {
    this.#results.push(row);
    this.#schedule.noted(row.orderKey, { waits: row.state === 'waiting' });
    this.#flush();
  }

  #quarantine(tx: Tx, { seq, problem }: NotificationRow): void {
    const { store, clock } = this.options;
    const payload: HeldNotification = { subscriptionId: this.row.id, seq };
    const title = `Notification to ${this.row.name}`;
    const item = { key: keyOf(this.row.id, seq), space: this.row.space, title, payload };
    store.quarantine.put(tx, { worker: NOTIFICATIONS, item, error: this.#poison.get(seq) ?? problem, id: newId('q', clock.now()) });
  }

  #flush(): void {
    if (this.#flushing) return;
    this.#flushing = true;
    const { store, log } = this.options;
    let failed = true;
    store
      .writeSoon((tx) => {
        const rows = new Set(this.#results);
        for (const row of rows) {
          store.subscriptions.note(tx, row);
          if (this.#poison.has(row.seq)) this.#quarantine(tx, row);
        }
        const done = new Set([...rows].map((row) => row.seq));
        const left = [...this.#open].filter((seq) => !done.has(seq));
        const to = left.length === 0 ? this.#readTo : Math.min(...left) - 1;
        if (to > this.#written) store.subscriptions.change(tx, this.row.id, { cursor: to });
        return { rows, to };
      })
      .then(({ rows, to }) => {
        failed = false;
        this.#results = this.#results.filter((row) => !rows.has(row));
        for (const row of rows) {
          this.#open.delete(row.seq);
          this.#poison.delete(row.seq);
          this.#schedule.written(row.orderKey, () => this.#timed(store.subscriptions.head(this.row.id, row.orderKey)));
        }
        this.#written = Math.max(this.#written, to);
      })
      .catch((error: unknown) => {
        log.error({ err: error, subscription: this.row.id }, 'the outcomes of notifications could not be written; tried again');
      })
      .finally(() => {
        this.#flushing = false;
        if (this.#results.length > 0) setTimeout(() => this.#flush(), failed ? WRITE_AGAIN_MS : 0);
        else if (this.#schedule.nextAt(this.options.clock.elapsed()) !== undefined) this.wake();
      });
  }
}
