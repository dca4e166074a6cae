import { createHash } from 'node:crypto';
import type { CallbackEvent } from '@verbalis/core/profile';
import { readCause, type CauseReading, type FactKind } from '@verbalis/core/delivery';
import { newId, type Clock, type Tx } from '../../kernel/index.js';
import { ownFact, type NewFact } from '../messages/index.js';
import type { KnownDelivery, ReturnRow } from '../returns/index.js';
import type { Consenting } from '../consent/index.js';
import type { Suppressing } from '../suppressions/index.js';
import type { Store } from './store.js';

const FACTS: Readonly<Partial<Record<NonNullable<CallbackEvent['meaning']>, FactKind>>> = {
  accepted: 'accepted',
  relayed: 'relayed',
  delivered: 'delivered',
  delayed: 'delayed',
  failed: 'failed',
  complained: 'complained',
  // It has not sent the email, and will not.
  withheld: 'failed',
};

/** The call that an event came in. */
interface EventCall {
  readonly provider: string;
  readonly receivedAt: number;
  /** Whether its delivery may become known a moment later: a provider can call before its answer to the hand-over is on our disk. */
  readonly mayWait: boolean;
  /** The deliveries that the provider knows by ids of its own. */
  readonly known: ReadonlyMap<string, KnownDelivery>;
}

interface ConcludingOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly suppressing: Suppressing;
  readonly consenting: Consenting;
}

/** A delivery, or why the event does not apply to it. */
type Found = { readonly delivery: KnownDelivery } | { readonly delivery?: undefined; readonly why: string | undefined };

/** Writes what an event means for its delivery. */
export function concluding({ store, clock, suppressing, consenting }: ConcludingOptions) {
  function named(event: CallbackEvent, known: ReadonlyMap<string, KnownDelivery>, tx: Tx): KnownDelivery | undefined {
    const byOwn = event.delivery === undefined ? undefined : store.deliveries.find(event.delivery, tx);
    if (byOwn !== undefined) return byOwn;
    const byMail = event.mail === undefined ? undefined : known.get(event.mail);
    if (byMail !== undefined) return byMail;
    if (event.messageId === undefined) return undefined;
    const rows = store.returns.deliveriesOfHeaderId(event.messageId, tx);
    const wanted = event.address === undefined ? undefined : suppressing.keyOf(event.address);
    const [only] = rows.length === 1 ? rows : rows.filter((row) => suppressing.keyOf(row.address) === wanted);
    return only === undefined ? undefined : store.deliveries.find(only.id, tx);
  }

  /** A provider speaks only of what it was given: it cannot report on another provider's deliveries, whatever ids it knows. */
  function find(event: CallbackEvent, { provider, known }: EventCall, tx: Tx): Found {
    const delivery = named(event, known, tx);
    if (delivery === undefined) return { why: undefined };
    // Found by an attempt of this very provider.
    if (event.mail !== undefined && delivery === known.get(event.mail)) return { delivery };
    if (store.returns.wasGivenTo(delivery.id, provider, tx)) return { delivery };
    return { why: `The delivery ${delivery.id} was never handed to ${provider}.` };
  }

  return (tx: Tx, event: CallbackEvent, call: EventCall): 'repeated' | 'unmatched' | 'waits' | 'taken' => {
    const { provider, receivedAt, mayWait } = call;
    const now = clock.now();
    const found = find(event, call, tx);
    const { delivery } = found;
    const why = 'why' in found ? found.why : undefined;
    const isNamed = (event.delivery ?? event.mail ?? event.messageId) !== undefined;
    if (delivery === undefined && why === undefined && mayWait && isNamed) return 'waits';
    const kind = event.meaning === undefined ? undefined : FACTS[event.meaning];
    const evidence = { status: event.status, replyCode: event.replyCode, diagnostic: event.reason };
    const reading = kind === 'failed' || kind === 'delayed' ? causeIn(event) : undefined;
    const hash = createHash('sha256').update(`${provider}\0${event.id}`).digest('hex');
    const row = returnOf(event, {
      id: newId('r', now),
      hash,
      provider,
      receivedAt,
      delivery,
      kind,
      reading,
      why,
    });
    if (!store.returns.insert(tx, row)) return 'repeated';
    if (delivery === undefined) return 'unmatched';
    if (event.meaning === 'topic-left') {
      const topic = store.messages.findAny(delivery.messageId, tx)?.topic ?? '';
      const { space, address } = delivery;
      // The provider may say it twice, or late.
      const at = Math.max(Math.min(event.at ?? receivedAt, receivedAt, now), delivery.createdAt);
      consenting.change(tx, {
        id: `callback:${hash.slice(0, 40)}`,
        space,
        address,
        topic,
        kind: 'left',
        how: 'callback',
        at,
        source: provider,
        deliveryId: delivery.id,
      });
    } else if (event.meaning === 'link-followed' || event.meaning === 'image-loaded') {
      store.deliveries.record(tx, hitFact(event, { hash, delivery, provider, receivedAt, returnId: row.id, now }), now);
    } else if (kind !== undefined) {
      store.deliveries.record(
        tx,
        {
          id: `callback:${hash.slice(0, 40)}`,
          deliveryId: delivery.id,
          kind,
          source: 'return',
          // Nothing happened to it before it was there, nor after now.
          at: Math.max(Math.min(event.at ?? receivedAt, receivedAt, now), delivery.createdAt),
          ...evidence,
          cause: reading?.cause,
          returnId: row.id,
        },
        now,
      );
    }
    return 'taken';
  };
}

/** A link that was followed or a picture that was loaded, as a provider reports it; it does not say who did it. */
function hitFact(
  { meaning, at, url }: CallbackEvent,
  {
    hash,
    delivery,
    provider,
    receivedAt,
    returnId,
    now,
  }: {
    readonly hash: string;
    readonly delivery: KnownDelivery;
    readonly provider: string;
    readonly receivedAt: number;
    readonly returnId: string;
    readonly now: number;
  },
): NewFact {
  const kind = meaning === 'link-followed' ? 'link-followed' : 'image-loaded';
  const link = kind === 'link-followed' && !delivery.sensitive ? { link: { url, label: '', index: 0, block: '' } } : {};
  const fact = ownFact({
    id: `callback:${hash.slice(0, 40)}`,
    deliveryId: delivery.id,
    kind,
    at: Math.max(Math.min(at ?? receivedAt, receivedAt, now), delivery.createdAt),
    details: { by: 'unknown', reason: `${provider} reports it.`, ...link },
  });
  return { ...fact, source: 'return', returnId };
}

/** Why an email failed: as the profile says it by the event's word, or as it can be read. */
function causeIn({ meaning, type, cause, status, replyCode, reason }: CallbackEvent): CauseReading {
  const stated = cause ?? (meaning === 'withheld' ? ('withheld-by-provider' as const) : undefined);
  if (stated !== undefined) return { cause: stated, confidence: 'sure', evidence: type };
  return readCause({ status, replyCode, diagnostic: reason });
}

interface ReturnParts extends Pick<ReturnRow, 'id' | 'hash' | 'receivedAt'> {
  readonly provider: string;
  readonly delivery: KnownDelivery | undefined;
  readonly kind: FactKind | undefined;
  readonly reading: CauseReading | undefined;
  /** Why it has no delivery, where more is known than that none was found. */
  readonly why: string | undefined;
}

function returnOf(event: CallbackEvent, { id, hash, provider, receivedAt, delivery, kind, reading, why }: ReturnParts): ReturnRow {
  const isTold = kind !== undefined && kind !== 'accepted';
  return {
    id,
    hash,
    space: delivery?.space ?? null,
    fingerprint: null,
    source: 'callback',
    provider,
    broughtBy: null,
    receivedAt,
    envelopeFrom: '',
    envelopeTo: '',
    kind: event.meaning === 'complained' ? 'complaint' : kind === undefined ? 'other' : 'delivery-status',
    deliveryId: delivery?.id ?? null,
    readout: {
      subject: event.type,
      originalMessageId: event.messageId,
      problem: why ?? (event.meaning === undefined ? `The profile has no word for "${event.type}".` : undefined),
      recipients: isTold ? [recipientOf(event, kind, { address: event.address ?? delivery?.address ?? '', reading })] : [],
    },
    // It may quote the email, or name a link of it.
    bytes: delivery?.sensitive === true ? Buffer.alloc(0) : Buffer.from(JSON.stringify(event.source)),
  };
}

function recipientOf(
  event: CallbackEvent,
  kind: FactKind,
  { address, reading }: { readonly address: string; readonly reading: CauseReading | undefined },
): ReturnRow['readout']['recipients'][number] {
  return {
    address,
    // An email that was complained about was delivered.
    action: kind === 'complained' ? 'delivered' : (kind as 'failed' | 'delayed' | 'delivered' | 'relayed'),
    status: event.status,
    replyCode: event.replyCode,
    cause: reading?.cause ?? 'other',
    evidence: reading?.evidence ?? '',
    confidence: reading?.confidence ?? 'sure',
    permanent: kind === 'failed',
    diagnostic: event.reason,
  };
}
