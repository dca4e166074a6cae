import { decidingConsent, ENGAGEMENT, type ConsentFact, type ConsentWay } from '@verbalis/core/consent';
import { instant, newId, type Clock, type Tx } from '../../kernel/index.js';
import type { Feed } from '../events/index.js';
import type { SuppressionRow, Suppressing } from '../suppressions/index.js';
import type { ConsentRow } from './queries.js';
import type { Store } from './store.js';

/** Someone leaves a topic, or joins it again. */
export interface ConsentChange {
  readonly space: string;
  readonly address: string;
  readonly topic: string;
  readonly kind: ConsentFact['kind'];
  readonly how: ConsentWay;
  /** When it happened; a time to come counts as now. */
  readonly at: number;
  /** What tells it from every other, where the same may come twice. */
  readonly id?: string | undefined;
  readonly source?: string | undefined;
  readonly deliveryId?: string | undefined;
  /** A topic is left for a while: until when, in milliseconds since the epoch. */
  readonly until?: number | undefined;
  /** Someone has confirmed it: an event also where consent was so before. */
  readonly isConfirmed?: boolean;
}

export interface Consenting {
  /** Writes a change with all that follows from it; within a transaction. @returns whether consent is another than before */
  readonly change: (tx: Tx, change: ConsentChange) => boolean;
}

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly suppressing: Suppressing;
  readonly feed: Feed;
  /** Is called when a pause has begun. */
  readonly paused: () => void;
}

const WORDS: Readonly<Record<ConsentWay, string>> = {
  'one-click': 'by one click in a mail reader',
  page: 'on a page of the service',
  email: 'by an email',
  reply: 'by an answer to an email',
  report: 'by a report of a mailbox provider',
  callback: 'at the provider',
  api: 'through the API',
};

/** What someone did, after whom it was and before how. */
function inText({ topic, kind, until }: ConsentRow): string {
  if (topic === ENGAGEMENT) return kind === 'left' ? 'no longer allows individual tracking,' : 'allows individual tracking,';
  if (kind === 'rejoined') return `joined the topic "${topic}" again`;
  return `left the topic "${topic}"${until === null ? '' : ` until ${instant(until)}`}`;
}

/** All ways out of a topic and back in end here. */
export function consentChanges({ store, clock, suppressing, feed, paused }: Options): Consenting {
  /** What happens now comes after all that is known, also where the clock was set back. */
  function nowAfterAll(tx: Tx, { space, address, topic }: Pick<ConsentRow, 'space' | 'address' | 'topic'>, now: number): number {
    return Math.max(now, ...store.consents.about(space, address, topic, tx).map((fact) => fact.at + 1));
  }

  /** Makes the suppression what consent says. One of another reason stays. */
  function settle(tx: Tx, row: ConsentRow, now: number): void {
    // It decides about no email.
    if (row.topic === ENGAGEMENT) return;
    const { space, address, topic, how, source, deliveryId } = row;
    const deciding = decidingConsent(store.consents.about(space, address, topic, tx));
    if (deciding?.kind === 'left') {
      const evidence = source ?? `Done ${WORDS[how]}${row.until === null ? '' : `, until ${instant(row.until)}`}.`;
      suppressing.add(tx, { space, address, topic, reason: 'unsubscribed', evidence, deliveryId }, now);
      return;
    }
    // A fact that arrives late and does not decide leaves the suppressions as they are.
    if (deciding?.id !== row.id) return;
    // An erased address has its suppression under another name.
    for (const name of [address, suppressing.hiddenOf(address)]) {
      const inForce = store.suppressions.exactly(space, name, topic, tx);
      if (inForce?.reason === 'unsubscribed') store.suppressions.lift(tx, inForce.id, now, `The recipient joined again ${WORDS[how]}.`);
    }
  }

  function announce(tx: Tx, row: ConsentRow): void {
    const { id, space, address, topic, kind, how, source, at, deliveryId } = row;
    const delivery = deliveryId === null ? undefined : store.deliveries.find(deliveryId, tx);
    const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId, tx);
    store.events.append(tx, {
      id: `consent:${id}`,
      space,
      kind: kind === 'left' ? 'topic-left' : 'topic-rejoined',
      at: row.recordedAt,
      data: {
        address: delivery?.address ?? address,
        topic,
        how,
        ...(source === null ? {} : { source }),
        ...(message === undefined ? {} : { messageId: message.id, deliveryId: delivery?.id, template: message.template }),
        ...(typeof message?.reference === 'string' ? { reference: message.reference } : {}),
        happenedAt: instant(at),
        ...(row.until === null ? {} : { until: instant(row.until) }),
        text: `${delivery?.address ?? address} ${inText(row)} ${WORDS[how]}.`,
      },
    });
    tx.afterCommit(feed.reported);
  }

  function change(tx: Tx, wanted: ConsentChange): boolean {
    const { space, topic, kind, how, source = null, deliveryId = null } = wanted;
    const now = clock.now();
    const address = suppressing.keyOf(wanted.address);
    const before = decidingConsent(store.consents.about(space, address, topic, tx));
    const until = kind === 'left' ? (wanted.until ?? null) : null;
    const isOff = (): boolean =>
      [address, suppressing.hiddenOf(address)].some((name) => store.suppressions.exactly(space, name, topic, tx) !== undefined);
    const [hadLeft, wasOff] = [before?.kind === 'left', isOff()];
    // Leaving permanently during a pause is a different decision.
    const isSame =
      topic === ENGAGEMENT
        ? (before?.kind === 'rejoined') === (kind === 'rejoined')
        : kind === 'left'
          ? wasOff && before?.kind === 'left' && (before.until ?? null) === until
          : !wasOff;
    // Who says the same once more changes nothing; and nothing new is written about an address that left and was erased.
    if (isSame && wanted.id === undefined) return false;
    if (kind === 'left' && wasOff && !hadLeft && store.suppressions.exactly(space, address, topic, tx) === undefined) return false;
    const at = wanted.at >= now ? nowAfterAll(tx, { space, address, topic }, now) : wanted.at;
    const row: ConsentRow = {
      id: wanted.id ?? newId('i', now),
      space,
      address,
      topic,
      kind,
      how,
      source,
      at,
      recordedAt: now,
      deliveryId,
      until,
    };
    if (!store.consents.add(tx, row)) return false;
    if (row.until !== null) tx.afterCommit(paused);
    settle(tx, row, now);
    const after = decidingConsent(store.consents.about(space, address, topic, tx));
    const isChanged =
      topic === ENGAGEMENT ||
      (after?.kind === 'left') !== hadLeft ||
      isOff() !== wasOff ||
      (after?.id === row.id && !isSame && until !== (before?.until ?? null));
    if (isChanged || wanted.isConfirmed === true) announce(tx, row);
    return isChanged;
  }

  // An operator or app that lifts a suppression says that the address wants the topic again.
  suppressing.onLifted((tx: Tx, { space, address, topic, reason }: SuppressionRow, note: string) => {
    const now = clock.now();
    if (reason === 'unsubscribed') {
      const row: ConsentRow = {
        id: newId('i', now),
        space,
        address,
        topic,
        kind: 'rejoined',
        how: 'api',
        source: note,
        at: nowAfterAll(tx, { space, address, topic }, now),
        recordedAt: now,
        deliveryId: null,
        until: null,
      };
      store.consents.add(tx, row);
      if (topic !== '') announce(tx, row);
      return;
    }
    // What was hidden behind another reason holds on.
    const last = decidingConsent(store.consents.about(space, address, topic, tx));
    if (last?.kind === 'left') settle(tx, last, now);
  });

  return { change };
}
