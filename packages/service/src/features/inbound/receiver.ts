import { deliveryOfReplyLocal, fingerprintOf } from '@verbalis/core/returns';
import type { Answer } from '@verbalis/core/smtp';
import { newId, type Clock, type Tx } from '../../kernel/index.js';
import type { DeliveryRow } from '../messages/index.js';
import type { InboundMail, ReceivedInbound } from '../returns/index.js';
import type { Inbox } from './inboxes.js';
import type { InboundRow } from './queries.js';
import type { Store } from './store.js';

/** The inbox of answers to our messages. */
const REPLIES = 'reply';

/** Where an email to one of our addresses belongs, and what it answers. */
interface Destination extends Inbox {
  readonly address: string;
  readonly delivery: DeliveryRow | undefined;
}

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly inboxOf: (address: string) => Inbox | undefined;
  /** Whether mail of a host comes to us. */
  readonly isReturnHost: (host: string) => boolean;
  /** Makes addresses for answers that nobody can forge. */
  readonly secret: Uint8Array;
  readonly perHour: number;
  readonly arrived: () => void;
}

/** What was kept of an email: once for each space that it came to. */
export interface StoredInbound {
  readonly id: string;
  readonly repeated: boolean;
}

export interface InboundReceiver extends InboundMail {
  readonly keep: (mail: ReceivedInbound & { readonly source: 'mail' | 'upload' }) => Promise<StoredInbound[]>;
  /** The space that gets what comes to an address; undefined for one that is not ours. */
  readonly spaceOf: (address: string) => string | null | undefined;
}

const HOUR_MS = 3_600_000;
/** Servers that an email may have passed; more go in a circle (RFC 5321 6.3). */
const MOST_HOPS = 50;

/** Takes in what people write: kept before anything is read of it. */
export function inboundReceiver({ store, clock, inboxOf, isReturnHost, secret, perHour, arrived }: Options): InboundReceiver {
  function destinationOf(address: string, from?: Tx): Destination | undefined {
    const at = address.lastIndexOf('@');
    const id = isReturnHost(address.slice(at + 1)) ? deliveryOfReplyLocal(secret, address.slice(0, at)) : undefined;
    const delivery = id === undefined ? undefined : store.deliveries.find(id, from);
    if (delivery !== undefined) return { space: delivery.space, name: REPLIES, address, delivery };
    const inbox = inboxOf(address);
    return inbox === undefined ? undefined : { ...inbox, address, delivery: undefined };
  }

  function answerTo(to: string, from: string): Answer | undefined {
    const destination = destinationOf(to);
    if (destination === undefined) return undefined;
    const since = clock.now() - HOUR_MS;
    const count = store.inbound.countSince({ envelopeFrom: from, deliveryId: destination.delivery?.id ?? null }, since);
    if (count >= perHour) return { code: 450, enhanced: '4.7.1', text: 'Too many emails within an hour, try again later' };
    return { code: 250, enhanced: '2.1.5', text: 'OK' };
  }

  /** Keeps an email once for each space. Within a transaction. */
  function write(tx: Tx, mail: ReceivedInbound & { readonly source: 'mail' | 'upload' }): StoredInbound[] {
    const found = mail.to.flatMap((address) => destinationOf(address, tx) ?? []);
    const spaces = new Map<string | null, Destination[]>();
    for (const destination of found) spaces.set(destination.space, [...(spaces.get(destination.space) ?? []), destination]);
    return [...spaces].map(([space, destinations]) => writeOne(tx, mail, { space, destinations }));
  }

  function writeOne(
    tx: Tx,
    { bytes, fingerprint = fingerprintOf(bytes), envelopeFrom, hello, address, source }: Parameters<typeof write>[1],
    { space, destinations }: { readonly space: string | null; readonly destinations: readonly Destination[] },
  ): StoredInbound {
    const now = clock.now();
    // An answer to a message says most of where it belongs.
    const main = destinations.find(({ delivery }) => delivery !== undefined) ?? destinations[0];
    const to = destinations.map((destination) => destination.address);
    const before = store.inbound.same({ space, fingerprint }, tx);
    if (before !== undefined) {
      const envelopeTo = [...new Set([...before.envelopeTo, ...to])];
      const deliveryId = before.deliveryId ?? main?.delivery?.id ?? null;
      const messageId = before.messageId ?? main?.delivery?.messageId ?? null;
      if (envelopeTo.length > before.envelopeTo.length) store.inbound.set(tx, before.id, { envelopeTo, deliveryId, messageId });
      return { id: before.id, repeated: true };
    }
    const row: InboundRow = {
      id: newId('v', now),
      space,
      inbox: main?.name ?? REPLIES,
      fingerprint,
      state: 'arrived',
      source,
      receivedAt: now,
      envelopeFrom,
      envelopeTo: to,
      hello,
      address,
      deliveryId: main?.delivery?.id ?? null,
      messageId: main?.delivery?.messageId ?? null,
      headerId: null,
      from: '',
      subject: '',
      content: null,
      authentication: null,
      suspicious: [],
      size: bytes.length,
      bytes: Buffer.from(bytes),
    };
    store.inbound.add(tx, row);
    tx.afterCommit(arrived);
    return { id: row.id, repeated: false };
  }

  const keep: InboundReceiver['keep'] = (mail) => store.write((tx) => write(tx, mail));
  return {
    answerTo,
    isFor: (to) => destinationOf(to) !== undefined,
    spaceOf: (address) => destinationOf(address)?.space,
    keep,
    refuses: ({ hops }) =>
      hops > MOST_HOPS ? { code: 554, enhanced: '5.4.6', text: `It has passed ${hops} servers, and goes in a circle` } : undefined,
    receive: async (mail) => {
      await keep({ ...mail, source: 'mail' });
    },
  };
}
