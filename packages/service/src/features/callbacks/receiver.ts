import { createHash } from 'node:crypto';
import { Budget } from '@verbalis/core/problems';
import type { CallbackEvent, RawEvent, ReadCallbacks } from '@verbalis/core/profile';
import type { Logger } from 'pino';
import {
  StoreUnavailable,
  type Clock,
  type QuarantinedRow,
  type StepResult,
  type Tx,
  type WorkerGroup,
  newId,
} from '../../kernel/index.js';
import { SECOND_LOOK_MS, type CallbackBatchRow } from './queries.js';
import type { Store } from './store.js';
import type { Consenting } from '../consent/index.js';
import type { Suppressing } from '../suppressions/index.js';
import { concluding } from './conclude.js';

export interface ReceiverOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  readonly suppressing: Suppressing;
  readonly consenting: Consenting;
  readonly profiles: ReadonlyMap<string, ReadCallbacks>;
}

export type CallbackReceiver = ReturnType<typeof callbackReceiver>;

const NAME = 'callbacks';
/** Events in one call. */
export const MOST_EVENTS = 5000;
/** Events that are concluded in one transaction; in between others have their turn. */
const STEP = 500;
/** Calls that are looked at to find one that may be tried now. */
const LOOKED_AT = 50;

/** Where some events are in their call. */
interface Place {
  /** There are no others in the call. */
  readonly isAlone: boolean;
  readonly isLast: boolean;
}

/** What is needed to read a quarantined call again. */
interface HeldCall {
  readonly provider: string;
  readonly receivedAt: number;
  readonly extracted: boolean;
  /** As text: a call is JSON. */
  readonly body: string;
}

/**
 * Receives calls of providers: written as they come, and read after they were answered. One call at a time, since they all write to one file;
 * a storm makes the table longer, never the process bigger. An event that cannot be read is split off its call, tried again alone, and
 * quarantined in the end, so that it never stops those behind it.
 */
export function callbackReceiver({ store, workers, clock, log, suppressing, consenting, profiles }: ReceiverOptions) {
  const counts = { events: 0, repeated: 0, unmatched: 0 };

  const conclude = concluding({ store, clock, suppressing, consenting });

  /** Concludes some events in one transaction; the last ones remove their call. */
  async function concludeAll(
    raw: readonly RawEvent[],
    { callbacks, batch, isLast }: { readonly callbacks: ReadCallbacks; readonly batch: CallbackBatchRow; readonly isLast: boolean },
  ): Promise<void> {
    const { provider, receivedAt } = batch;
    const mayWait = batch.tryAt === 0;
    const events: readonly CallbackEvent[] = raw.map(callbacks.events.read);
    await store.write((tx) => {
      const known = store.returns.deliveriesByProviderIds(
        provider,
        events.flatMap((event) => event.mail ?? []),
        tx,
      );
      const results = events.map((event) => conclude(tx, event, { provider, receivedAt, known, mayWait }));
      const waiting = raw.filter((_, i) => results[i] === 'waits');
      if (waiting.length > 0) addEvents(tx, waiting, batch, clock.now() + SECOND_LOOK_MS);
      if (isLast) store.callbacks.remove(tx, batch.id);
      tx.afterCommit(() => {
        counts.events += results.length - waiting.length;
        counts.repeated += results.filter((result) => result === 'repeated').length;
        counts.unmatched += results.filter((result) => result === 'unmatched').length;
      });
    });
  }

  /** Some events become a call of their own, behind the others. */
  function addEvents(tx: Tx, raw: readonly RawEvent[], { provider, receivedAt }: CallbackBatchRow, tryAt: number): void {
    const body = Buffer.from(JSON.stringify(raw));
    store.callbacks.add(tx, { id: newId('b', clock.now()), provider, receivedAt, extracted: true, tryAt, body });
  }

  /** Some raw events of a call. Those that throw are split off, where there are others; one alone throws on. */
  async function readSome(callbacks: ReadCallbacks, raw: readonly RawEvent[], batch: CallbackBatchRow, place: Place): Promise<void> {
    try {
      await concludeAll(raw, { callbacks, batch, isLast: place.isLast });
    } catch (error) {
      if (place.isAlone || error instanceof StoreUnavailable) throw error;
      log.warn({ err: error, provider: batch.provider }, 'an event of a call could not be processed; its call is read one by one');
      for (const event of raw) {
        try {
          await concludeAll([event], { callbacks, batch, isLast: false });
        } catch (fault) {
          if (fault instanceof StoreUnavailable) throw fault;
          await store.write((tx) => {
            addEvents(tx, [event], batch, batch.tryAt);
          });
        }
      }
      if (place.isLast)
        await store.write((tx) => {
          store.callbacks.remove(tx, batch.id);
        });
    }
  }

  /** One call. Its row goes when all of it is done: a crash before that reads it again, and finds what it knows already. */
  async function read(batch: CallbackBatchRow): Promise<void> {
    const callbacks = profiles.get(batch.provider);
    if (callbacks === undefined) throw new Error(`No provider "${batch.provider}" with callbacks is configured any more.`);
    const sources = batch.extracted ? (JSON.parse(batch.body.toString('utf8')) as readonly RawEvent[]) : eventsOf(callbacks, batch.body);
    new Budget(`The call of ${batch.provider}`, { steps: MOST_EVENTS }).step(sources.length);
    for (let from = 0; from < sources.length; from += STEP) {
      const place = { isAlone: sources.length === 1, isLast: from + STEP >= sources.length };
      await readSome(callbacks, sources.slice(from, from + STEP), batch, place);
    }
    if (sources.length === 0)
      await store.write((tx) => {
        store.callbacks.remove(tx, batch.id);
      });
  }

  async function step(): Promise<StepResult> {
    const now = clock.now();
    const ids = store.callbacks.oldest(now, LOOKED_AT);
    const resting = ids.map((id) => store.quarantine.restsUntil(NAME, id) ?? 0);
    const id = ids.find((_, i) => (resting[i] ?? 0) <= now);
    if (id === undefined) return { did: 0, next: ids.length === 0 ? store.callbacks.nextAt() : Math.min(...resting) };
    const batch = store.callbacks.find(id);
    if (batch === undefined) return { did: 0, next: 'now' };
    try {
      await read(batch);
      store.quarantine.succeeded(NAME, batch.id);
    } catch (error) {
      if (store.quarantine.failed(NAME, batch.id, error) === undefined) await quarantine(batch, error);
    }
    return { did: 1, next: 'now' };
  }

  async function quarantine(batch: CallbackBatchRow, error: unknown): Promise<void> {
    const { id, provider, receivedAt, extracted } = batch;
    const body = batch.body.toString('utf8');
    const payload: HeldCall = { provider, receivedAt, extracted, body };
    const key = createHash('sha256').update(`${provider}\0${body}`).digest('hex');
    const bytes = batch.body.length;
    const title = `${extracted ? 'Event' : 'Call'} from ${provider}, ${bytes.toLocaleString('en')} ${bytes === 1 ? 'byte' : 'bytes'}`;
    await store.write((tx) => {
      store.quarantine.put(tx, { worker: NAME, item: { key, space: undefined, title, payload }, error, id: newId('q', clock.now()) });
      store.callbacks.remove(tx, id);
    });
  }

  async function add(provider: string, body: Buffer, { extracted }: { readonly extracted: boolean }): Promise<void> {
    const now = clock.now();
    await store.write((tx) => {
      store.callbacks.add(tx, { id: newId('b', now), provider, receivedAt: now, extracted, tryAt: 0, body });
      tx.afterCommit(worker.wake);
    });
  }

  const worker = workers.add({ name: NAME, step });
  store.quarantine.register(NAME, {
    retry: (tx: Tx, { payload }: QuarantinedRow) => {
      const { body, ...rest } = payload as HeldCall;
      store.callbacks.add(tx, { id: newId('b', clock.now()), ...rest, tryAt: 0, body: Buffer.from(body) });
      tx.afterCommit(worker.wake);
    },
  });

  return {
    counts,
    profiles,
    /** Begins with what was left by the last run. */
    start: worker.start,
    /** Writes the events of a call; when it resolves, they are on the disk. */
    receive: (provider: string, raw: readonly RawEvent[]) => add(provider, Buffer.from(JSON.stringify(raw)), { extracted: true }),
    /** Writes a call in which nothing was found, to be tried again and quarantined. */
    keepUnread: (provider: string, body: Buffer) => add(provider, body, { extracted: false }),
    stop: worker.stop,
  };
}

/** The events of a call that was kept without what was around its body. @throws UnreadableContent */
function eventsOf({ content, events }: ReadCallbacks, body: Buffer): readonly RawEvent[] {
  return events.raw({ method: 'POST', url: '', headers: {}, body }, content.read(body).inside);
}
