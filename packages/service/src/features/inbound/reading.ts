import { doubtsOf, type Authentication, type InboundReading } from '@verbalis/core/inbound';
import {
  boundedThread,
  newId,
  threadFile,
  ThreadFault,
  type Clock,
  type Running,
  type StepResult,
  type Tx,
  type WorkerGroup,
} from '../../kernel/index.js';
import type { Consent } from '../consent/index.js';
import type { DeliveryRow, MessageRow } from '../messages/index.js';
import { threadQuestions, type OpenNameServers } from '../name-servers/index.js';
import { eventDataOf } from './data.js';
import type { InboundRow } from './queries.js';
import type { Store } from './store.js';

export interface InboundWork extends Running {
  /** Something was kept. */
  readonly arrived: () => void;
  /** The whole HTML of an email for a frame: nothing of it runs or loads. @throws ThreadFault */
  readonly shown: (bytes: Uint8Array) => Promise<string>;
}

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly workers: WorkerGroup;
  readonly consent: Pick<Consent, 'consenting' | 'wayOutOf'>;
  /** Undefined where the DNS is not asked: nothing is known of authenticity then. */
  readonly nameServers: OpenNameServers | undefined;
  /** Whether two addresses are one. */
  readonly isSame: (a: string, b: string) => boolean;
  readonly reported: () => void;
}

/** What the thread makes of an email. */
export interface ReadInbound {
  readonly reading: InboundReading;
  readonly authentication: Authentication | undefined;
}

const NAME = 'inbound';
const BATCH = 20;
const [LIMIT_MS, IDLE_MS, MEMORY_MB] = [40_000, 10_000, 384];
/** So long the DNS is asked for one email. */
const DNS_MS = 10_000;

/** Reads what people have written, in a thread of its own: the oldest first. */
export function inboundWork({ store, clock, workers, consent, nameServers, isSame, reported }: Options): InboundWork {
  const questions = threadQuestions(nameServers, DNS_MS);
  const thread = boundedThread(threadFile(import.meta.url, 'inbound-thread.js'), {
    name: 'inbound mail',
    limitMs: LIMIT_MS,
    idleMs: IDLE_MS,
    memoryMb: MEMORY_MB,
    methods: { ask: questions.ask },
  });

  async function read(row: InboundRow): Promise<ReadInbound> {
    const { bytes, envelopeFrom, hello, address, source } = row;
    // An uploaded email has no server that brought it.
    const isChecked = questions.begin() && source === 'mail';
    const input = { bytes, envelopeFrom, hello, address, isChecked, seconds: Math.floor(clock.now() / 1000) };
    try {
      return await thread.call<ReadInbound>('read', input);
    } catch (error) {
      if (!(error instanceof ThreadFault)) throw error;
      // Its HTML is more than can be read: its text may be read without it.
      return thread.call<ReadInbound>('readBarely', input);
    }
  }

  /** The message that an email answers: by the address that it came to, or by the Message-ID that it names. */
  function answered(
    tx: Tx,
    row: InboundRow,
    { answers, from }: InboundReading,
  ): { message: MessageRow; delivery: DeliveryRow | undefined } | undefined {
    if (row.deliveryId !== null) {
      const delivery = store.deliveries.find(row.deliveryId, tx);
      const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId, tx);
      return message === undefined ? undefined : { message, delivery };
    }
    if (row.space === null) return undefined;
    for (const id of answers) {
      const message = store.messages.byHeaderId(row.space, id, tx);
      if (message === undefined) continue;
      const all = store.messages.deliveriesOf([message.id], tx);
      return { message, delivery: all.find(({ address }) => from !== undefined && isSame(address, from.address)) };
    }
    return undefined;
  }

  function write(tx: Tx, given: InboundRow, { reading, authentication }: ReadInbound): void {
    // It may have come to another address meanwhile, or have been removed.
    const row = store.inbound.find(given.id, tx);
    if (row?.state !== 'arrived') return;
    const found = answered(tx, row, reading);
    const { suspicious, subject, headerId, from, ...content } = reading;
    const author = from?.address ?? '';
    const doubts = authentication === undefined ? [] : doubtsOf(authentication, author.slice(author.lastIndexOf('@') + 1));
    const isOther =
      row.deliveryId !== null && found?.delivery !== undefined && from !== undefined && !isSame(found.delivery.address, author);
    const other = isOther
      ? [{ code: 'other-author' as const, text: `It answers an email to ${found.delivery?.address ?? ''}, and comes from ${author}.` }]
      : [];
    const changes = {
      state: 'read' as const,
      deliveryId: row.deliveryId ?? found?.delivery?.id ?? null,
      messageId: row.messageId ?? found?.message.id ?? null,
      headerId: headerId ?? null,
      from: author.toLowerCase(),
      subject,
      content: { ...content, fromName: from?.name ?? '' },
      authentication: authentication ?? null,
      suspicious: [...doubts, ...other, ...suspicious],
    };
    store.inbound.set(tx, row.id, changes);
    const isLeft = leave(tx, row, {
      reading,
      delivery: isOther || doubts.length > 0 ? undefined : found?.delivery,
      message: found?.message,
    });
    if (row.space === null) return;
    const data = eventDataOf({ ...row, ...changes }, found?.message);
    store.events.append(tx, { id: `inbound:${row.id}`, space: row.space, kind: 'received', at: row.receivedAt, data: { ...data, isLeft } });
    tx.afterCommit(reported);
  }

  /** An answer that is only "unsubscribe" leaves the topic. @returns whether it did */
  function leave(
    tx: Tx,
    { id, space }: InboundRow,
    {
      reading,
      delivery,
      message,
    }: { readonly reading: InboundReading; readonly delivery: DeliveryRow | undefined; readonly message: MessageRow | undefined },
  ): boolean {
    const topic = message?.topic ?? '';
    if (!reading.asksToLeave || space === null || delivery === undefined || topic === '') return false;
    // Essential email cannot be left.
    if (consent.wayOutOf(delivery) === undefined) return false;
    consent.consenting.change(tx, {
      id: `inbound:${id}`,
      space,
      address: delivery.address,
      topic,
      kind: 'left',
      how: 'reply',
      at: clock.now(),
      deliveryId: delivery.id,
    });
    return true;
  }

  async function step(): Promise<StepResult> {
    const rows = store.inbound.arrived(BATCH);
    let did = 0;
    let next: number | undefined;
    for (const row of rows) {
      const rests = store.quarantine.restsUntil(NAME, row.id);
      if (rests !== undefined && rests > clock.now()) {
        next = Math.min(next ?? rests, rests);
        continue;
      }
      try {
        const found = await read(row);
        await store.write((tx) => {
          write(tx, row, found);
        });
        store.quarantine.succeeded(NAME, row.id);
        did += 1;
      } catch (error) {
        const again = store.quarantine.failed(NAME, row.id, error);
        if (again === undefined) await putAside(row, error);
        else next = Math.min(next ?? again, again);
        did += again === undefined ? 1 : 0;
      }
    }
    return { did, next: rows.length === BATCH && did > 0 ? 'now' : next };
  }

  async function putAside(row: InboundRow, error: unknown): Promise<void> {
    await store.write((tx) => {
      store.inbound.set(tx, row.id, { state: 'unread' });
      const title = `Email to ${row.envelopeTo.join(', ')}`;
      const item = { key: row.id, space: row.space ?? undefined, title, payload: { inboundId: row.id } };
      store.quarantine.put(tx, { worker: NAME, item, error, id: newId('q', clock.now()) });
    });
  }

  const loop = workers.add({ name: NAME, step });
  store.quarantine.register(NAME, {
    retry: (tx, { key }) => {
      store.inbound.set(tx, key, { state: 'arrived' });
      tx.afterCommit(() => {
        loop.wake();
      });
    },
    drop: (tx, { key }) => {
      store.inbound.remove(tx, [key]);
    },
  });
  return {
    arrived: () => {
      loop.wake();
    },
    shown: (bytes) => thread.call<string>('show', { bytes }),
    start: () => {
      loop.start();
    },
    stop: async () => {
      await loop.stop();
      await thread.stop();
    },
  };
}
