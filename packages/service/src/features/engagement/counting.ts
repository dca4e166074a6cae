import type { NewFact } from '../messages/index.js';
import type { Tx } from '../../kernel/index.js';
import { ageOf, hourOf } from './hits.js';
import type { Store } from './store.js';

type Counting = Pick<Store, 'deliveries' | 'messages' | 'engagement'>;

/** Counts a fact about a link or a picture, from any source; within the transaction that writes it. */
export function countFact(tx: Tx, store: Counting, { id, kind, deliveryId, at, details }: NewFact): void {
  if (kind !== 'link-followed' && kind !== 'image-loaded') return;
  const delivery = store.deliveries.find(deliveryId, tx);
  const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId, tx);
  if (delivery === undefined || message === undefined) return;
  const sentAt = store.deliveries.facts(deliveryId, tx).find((fact) => fact.kind === 'accepted')?.at ?? delivery.createdAt;
  const by = details?.by ?? 'unknown';
  const link = details?.link;
  // A provider reports a link by its address alone.
  const index = kind === 'image-loaded' ? 0 : Math.max(1, link?.index ?? 1);
  const isFirst = by === 'person' && !store.engagement.isKnown(tx, { deliveryId, id, link: link?.index ?? 0, kind });
  store.engagement.add(tx, {
    space: delivery.space,
    at: hourOf(at),
    template: message.template,
    topic: message.topic ?? '',
    link: index,
    label: link?.label ?? '',
    by,
    age: ageOf(at, sentAt),
    n: 1,
    firsts: isFirst ? 1 : 0,
  });
}
