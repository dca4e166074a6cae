import { eventOf, fieldsOf, passes, readFilter, waitBeforeNotice, webhookHeaders, GIVE_UP_MS, type Filter } from '@verbalis/core/events';
import { readPayloadTemplate, type PayloadTemplate } from '@verbalis/core/payload';
import type { Logger } from 'pino';
import { Budget, type Clock, type StepResult, type Tx, type Worker, type WorkerGroup, newId } from '../../kernel/index.js';
import type { KnownEvent } from '../events/index.js';
import type { NotificationRow, SubscriptionRow } from './queries.js';
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
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  /** Where the service is reached. */
  readonly base: string | undefined;
  readonly random: () => number;
  /** Whether one more may be under way, over all subscriptions. */
  readonly hasRoom: () => boolean;
  readonly began: () => void;
  readonly ended: () => void;
}

/** Notifications under way at once to one consumer. */
const UNDER_WAY = 16;
/** Largest notification, in bytes. */
const MOST_BYTES = 4 * 1024 * 1024;
/** Events that are read ahead. */
const CHUNK = 400;
/** Chunks that are gone through in one step when the filter lets nothing of them through. */
const CHUNKS_AT_ONCE = 5;
/** After so many failures in a row a consumer is left alone, and probed by one notification at a time. */
const RESTS_AFTER = 5;
/** Before what could not be written is tried again: a full disk may have room then. */
const WRITE_AGAIN_MS = 1000;
const FIRST_REST_MS = 5_000;
const LONGEST_REST_MS = 15 * 60_000;

interface Ready {
  readonly events: readonly KnownEvent[];
  readonly orderKey: string;
  /** Tries made before, by place. */
  readonly attempts: number;
  /** Not to be put together with others, since one of them could not be made. */
  readonly isAlone?: boolean;
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
 * One subscription at work: reads the events from where it stands, sends what its filter lets through, in order for each delivery, and writes
 * what became of it. Its place moves on only over events that are done with or written down, so a crash sends some again and loses none.
 */
export class SubscriptionWorker {
  readonly #filter: Filter;
  readonly #payload: PayloadTemplate | undefined;
  #readTo: number;
  #written: number;
  #ready: Ready[] = [];
  /** Places that are read and not written down. */
  readonly #open = new Set<number>();
  readonly #busy = new Set<string>();
  readonly #blocked: Map<string, number>;
  #underWay = 0;
  #failures = 0;
  #restsUntil = 0;
  readonly #worker: Worker;
  /** Events that cannot be made into notifications, with the error, until that is written. */
  readonly #poison = new Map<number, unknown>();
  #results: NotificationRow[] = [];
  /** Places whose result is not written yet: what the rows say of them is of before. */
  readonly #unwritten = new Set<number>();
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
    this.#blocked = options.store.subscriptions.waitingLines(row.id);
    this.#worker = options.workers.add({ name: `subscription ${row.name}`, step: () => this.#step() });
  }

  start(): void {
    this.#worker.start();
  }

  get busy(): boolean {
    return this.#underWay > 0 || this.#flushing || this.#worker.busy();
  }

  /** Since when it is left alone, and why. */
  get resting(): number | undefined {
    return this.#restsUntil > this.options.clock.now() ? this.#restsUntil : undefined;
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
    const now = clock.now();
    if (this.#restsUntil > now) return { did: 0, next: this.#restsUntil };
    const before = this.#underWay;
    const most = this.#failures >= RESTS_AFTER ? 1 : UNDER_WAY;
    // What is due again comes first: what follows it under its key waits for it.
    for (const again of this.#blocked.size === 0 ? [] : store.subscriptions.due(this.row.id, now, most * 2)) {
      if (this.#underWay >= most || !hasRoom()) break;
      if (this.#busy.has(again.orderKey) || this.#open.has(again.seq) || this.#unwritten.has(again.seq)) continue;
      if (store.subscriptions.firstWaiting(this.row.id, again.orderKey) !== again.seq) continue;
      const [event] = store.events.at([again.seq]);
      if (event === undefined) this.#note({ ...again, state: 'dead-letter', nextAt: null, problem: 'The event is no longer kept.' });
      else this.#begin({ events: [event], orderKey: again.orderKey, attempts: again.attempts });
    }
    while (this.#underWay < most && hasRoom()) {
      if (this.#ready.length === 0) {
        const found = this.#read(now);
        if (found === 'more') return { did: 1, next: 'now' };
        if (found === 'end') break;
      }
      this.#holdBack(now);
      const at = this.#ready.findIndex((ready) => !this.#busy.has(ready.orderKey));
      if (at === -1) break;
      const [next] = this.#ready.splice(at, 1);
      if (next !== undefined) this.#begin(this.row.batch > 1 && next.isAlone !== true ? this.#batch(next) : next);
    }
    const due = this.#blocked.size === 0 ? undefined : store.subscriptions.nextDueAt(this.row.id);
    return { did: Math.max(0, this.#underWay - before), next: due === undefined ? undefined : Math.max(due, now + 50) };
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
      this.#hold({ events: [event], orderKey: orderKeyOf(event), attempts: 0 }, error);
      return false;
    }
  }

  /** Reads on, but not too far at once. @returns whether something is ready, or there may be more to read, or nothing is left */
  #read(now: number): 'ready' | 'more' | 'end' {
    const { store } = this.options;
    for (let chunk = 0; chunk < CHUNKS_AT_ONCE; chunk += 1) {
      const found = store.events.after(this.#readTo, CHUNK);
      const last = found.at(-1);
      if (last === undefined) return 'end';
      this.#readTo = last.seq;
      for (const event of found) {
        if (event.space !== this.row.space || event.kind === 'test' || !this.#letsOrHolds(event)) continue;
        const orderKey = orderKeyOf(event);
        const row = {
          subscriptionId: this.row.id,
          seq: event.seq,
          orderKey,
          attempts: 0,
          nextAt: now,
          lastAt: null,
          status: null,
          problem: null,
          milliseconds: null,
        };
        if (now - event.recordedAt > GIVE_UP_MS) {
          this.#open.add(event.seq);
          this.#note({ ...row, state: 'dead-letter', nextAt: null, problem: 'It was too old when the consumer could be reached again.' });
        } else if (this.#blocked.has(orderKey)) {
          // Something under its key waits; it comes after that.
          this.#open.add(event.seq);
          this.#note({ ...row, state: 'waiting' });
        } else {
          this.#open.add(event.seq);
          this.#ready.push({ events: [event], orderKey, attempts: 0 });
        }
      }
      if (this.#ready.length > 0) return 'ready';
      // Nothing for this consumer in all of it: its place is moved on all the same.
      this.#flush();
    }
    return 'more';
  }

  /** What was read ahead and whose key has come to wait meanwhile waits too. */
  #holdBack(now: number): void {
    if (this.#blocked.size === 0) return;
    const held = this.#ready.filter((ready) => this.#blocked.has(ready.orderKey));
    if (held.length === 0) return;
    this.#ready = this.#ready.filter((ready) => !held.includes(ready));
    for (const { events, orderKey } of held)
      for (const { seq } of events)
        this.#note({
          subscriptionId: this.row.id,
          seq,
          orderKey,
          attempts: 0,
          state: 'waiting',
          nextAt: now,
          lastAt: null,
          status: null,
          problem: null,
          milliseconds: null,
        });
  }

  /** Puts more events into one notification; one of each key, so that order holds. */
  #batch(first: Ready): Ready {
    const taken = [first];
    const keys = new Set([first.orderKey]);
    this.#ready = this.#ready.filter((ready) => {
      if (taken.length >= this.row.batch || this.#busy.has(ready.orderKey) || keys.has(ready.orderKey)) return true;
      taken.push(ready);
      keys.add(ready.orderKey);
      return false;
    });
    return { events: taken.flatMap((ready) => ready.events), orderKey: first.orderKey, attempts: 0 };
  }

  #begin(ready: Ready): void {
    const keys = ready.events.map(orderKeyOf);
    for (const key of keys) this.#busy.add(key);
    this.#underWay += 1;
    this.options.began();
    void this.send(ready.events)
      .then((answer) => {
        this.#conclude(ready, answer);
      })
      .catch((error: unknown) => {
        this.#unmade(ready, error);
      })
      .finally(() => {
        for (const key of keys) this.#busy.delete(key);
        this.#underWay -= 1;
        this.options.ended();
        this.wake();
      });
  }

  /** A notification could not be made. Of several events each is tried by itself, so that one of them does not stop the others. */
  #unmade(ready: Ready, error: unknown): void {
    if (ready.events.length === 1) this.#hold(ready, error);
    else
      this.#ready.unshift(...ready.events.map((event) => ({ events: [event], orderKey: orderKeyOf(event), attempts: 0, isAlone: true })));
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
    const value: unknown = this.#payload === undefined ? (isBatch ? made : made[0]) : this.#payload({ event: made[0], events: made });
    const body = JSON.stringify(value);
    // A payload that somebody defined may repeat what it is given.
    new Budget(`The notification to ${this.row.name}`, { bytes: MOST_BYTES }).spend(body.length);
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
          ...webhookHeaders(this.encrypted.secrets, first.id, clock.now(), body),
        },
        body,
      },
      this.options,
    );
  }

  #conclude(ready: Ready, answer: Answer): void {
    const { clock, random, log } = this.options;
    const now = clock.now();
    if (answer.ok) {
      this.#failures = 0;
      this.#restsUntil = 0;
    } else {
      this.#failures += 1;
      if (this.#failures >= RESTS_AFTER) {
        const rest = Math.min(LONGEST_REST_MS, FIRST_REST_MS * 2 ** Math.min(20, this.#failures - RESTS_AFTER));
        this.#restsUntil = now + Math.max(rest, Math.min(answer.retryAfterMs ?? 0, LONGEST_REST_MS));
      }
    }
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
    this.#unwritten.add(row.seq);
    if (row.state === 'waiting') this.#blocked.set(row.orderKey, Math.min(row.seq, this.#blocked.get(row.orderKey) ?? row.seq));
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
          this.#unwritten.delete(row.seq);
          this.#open.delete(row.seq);
          this.#poison.delete(row.seq);
          if (
            row.state !== 'waiting' &&
            this.#blocked.has(row.orderKey) &&
            store.subscriptions.firstWaiting(this.row.id, row.orderKey) === undefined
          )
            this.#blocked.delete(row.orderKey);
        }
        this.#written = Math.max(this.#written, to);
      })
      .catch((error: unknown) => {
        log.error({ err: error, subscription: this.row.id }, 'what became of notifications could not be written; tried again');
      })
      .finally(() => {
        this.#flushing = false;
        if (this.#results.length > 0) setTimeout(() => this.#flush(), failed ? WRITE_AGAIN_MS : 0);
        else if (this.#blocked.size > 0) this.wake();
      });
  }
}
