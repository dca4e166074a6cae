import { createHash } from 'node:crypto';
import { readCause, type FactKind } from '@verbalis/core/delivery';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import type { Callbacks } from '../profile/index.js';
import { newId, type KnownDelivery, type ReturnRow, type Store } from '../store/index.js';
import type { Suppressing } from '../suppress/index.js';
import { eventsOf, type CallbackEvent } from './events.js';

export interface DeskOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly suppressing: Suppressing;
  readonly profiles: ReadonlyMap<string, Callbacks>;
}

export type CallbackDesk = ReturnType<typeof callbackDesk>;

/** Events in one call. */
export const MOST_EVENTS = 5000;
/** Events that are concluded in one transaction; in between others have their turn. */
const STEP = 500;

const FACTS: Readonly<Partial<Record<NonNullable<CallbackEvent['meaning']>, FactKind>>> = {
  accepted: 'accepted',
  relayed: 'relayed',
  delivered: 'delivered',
  delayed: 'delayed',
  failed: 'failed',
  complained: 'complained',
};

/**
 * Takes calls of providers: written as they come, and read after they were answered. One batch at a time, since they all write to one file;
 * a storm makes the table longer, never the process bigger.
 */
export function callbackDesk({ store, clock, log, suppressing, profiles }: DeskOptions) {
  let running = true;
  let work: Promise<void> | undefined;
  const counts = { events: 0, repeated: 0, unmatched: 0 };

  function find(event: CallbackEvent, known: ReadonlyMap<string, KnownDelivery>): KnownDelivery | undefined {
    const byOwn = event.delivery === undefined ? undefined : store.deliveries.find(event.delivery);
    if (byOwn !== undefined) return byOwn;
    const byMail = event.mail === undefined ? undefined : known.get(event.mail);
    if (byMail !== undefined) return byMail;
    if (event.messageId === undefined) return undefined;
    const rows = store.returns.deliveriesOfHeaderId(event.messageId);
    const wanted = event.address === undefined ? undefined : suppressing.keyOf(event.address);
    const [only] = rows.length === 1 ? rows : rows.filter((one) => suppressing.keyOf(one.address) === wanted);
    return only === undefined ? undefined : store.deliveries.find(only.id);
  }

  /** One event, with the deliveries that the provider knows by ids of its own; within a transaction. */
  function conclude(event: CallbackEvent, provider: string, receivedAt: number, known: ReadonlyMap<string, KnownDelivery>): void {
    counts.events += 1;
    const now = clock.now();
    const delivery = find(event, known);
    const kind = event.meaning === undefined ? undefined : FACTS[event.meaning];
    const isTrouble = kind === 'failed' || kind === 'delayed';
    const evidence = { status: event.status, replyCode: event.replyCode, diagnostic: event.reason };
    const reading = isTrouble ? readCause(evidence) : undefined;
    const hash = createHash('sha256').update(`${provider}\0${event.id}`).digest('hex');
    const at = Math.min(event.at ?? receivedAt, now);
    const row: ReturnRow = {
      id: newId('r', now),
      hash,
      space: delivery?.space ?? null,
      source: 'callback',
      provider,
      receivedAt,
      envelopeFrom: '',
      envelopeTo: '',
      kind: event.meaning === 'complained' ? 'complaint' : kind === undefined ? 'other' : 'delivery-status',
      deliveryId: delivery?.id ?? null,
      told: {
        subject: event.type,
        originalMessageId: event.messageId,
        problem: event.meaning === undefined ? `The profile has no word for "${event.type}".` : undefined,
        recipients:
          kind === undefined || kind === 'accepted'
            ? []
            : [
                {
                  address: event.address ?? delivery?.address ?? '',
                  // What somebody minds was delivered.
                  action: kind === 'complained' ? 'delivered' : (kind as 'failed' | 'delayed' | 'delivered' | 'relayed'),
                  status: event.status,
                  replyCode: event.replyCode,
                  cause: reading?.cause ?? 'other',
                  evidence: reading?.evidence ?? '',
                  confidence: reading?.confidence ?? 'sure',
                  permanent: kind === 'failed',
                  diagnostic: event.reason,
                },
              ],
      },
      bytes: Buffer.from(JSON.stringify(event.source)),
    };
    if (!store.returns.insert(row)) {
      counts.repeated += 1;
      return;
    }
    if (delivery === undefined) {
      counts.unmatched += 1;
      return;
    }
    if (event.meaning === 'unsubscribed') {
      const topic = store.messages.findAny(delivery.messageId)?.topic ?? '';
      suppressing.add(delivery.space, delivery.address, topic, { reason: 'unsubscribed', deliveryId: delivery.id }, now);
    } else if (kind !== undefined) {
      store.deliveries.record(
        {
          id: `callback:${hash.slice(0, 40)}`,
          deliveryId: delivery.id,
          kind,
          source: 'return',
          at,
          ...evidence,
          cause: reading?.cause,
          returnId: row.id,
        },
        now,
      );
    }
  }

  async function run(): Promise<void> {
    for (let batch = store.returns.nextBatch(); running && batch !== undefined; batch = store.returns.nextBatch()) {
      const { id, provider, body, receivedAt } = batch;
      const callbacks = profiles.get(provider);
      const events = callbacks === undefined ? [] : eventsOf(callbacks, JSON.parse(body.toString('utf8')));
      if (callbacks === undefined) log.error({ provider }, 'a call of a provider that is not configured any more was thrown away');
      for (let from = 0; from < events.length; from += STEP) {
        const step = events.slice(from, from + STEP);
        const isLast = from + STEP >= events.length;
        await store.group.write(() => {
          const known = store.returns.deliveriesByProviderIds(
            provider,
            step.flatMap((event) => event.mail ?? []),
          );
          for (const event of step) conclude(event, provider, receivedAt, known);
          // A crash before this reads the batch again, and finds what it knows already.
          if (isLast) store.returns.dropBatch(id);
        });
        await new Promise((done) => setImmediate(done));
      }
      if (events.length === 0)
        await store.group.write(() => {
          store.returns.dropBatch(id);
        });
    }
  }

  function wake(): void {
    work ??= run()
      .catch((error: unknown) => {
        log.error({ err: error }, 'a call of a provider could not be read');
        if (running) clock.at(clock.now() + 1000, wake);
      })
      .finally(() => {
        work = undefined;
        // What came while the last look was under way.
        if (running && store.returns.nextBatch() !== undefined) setImmediate(wake);
      });
  }

  return {
    counts,
    profiles,
    /** What was left behind by the last run. */
    start: wake,
    /** Writes a call; when it resolves, it is on the disk. */
    async take(provider: string, body: Uint8Array): Promise<void> {
      const now = clock.now();
      await store.group.write(() => {
        store.returns.addBatch({ id: newId('b', now), provider, receivedAt: now, body: Buffer.from(body) });
      });
      wake();
    },
    async stop(): Promise<void> {
      running = false;
      await work;
    },
  };
}
