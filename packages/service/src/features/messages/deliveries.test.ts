import { afterAll, expect, test } from '@jest/globals';
import { deciding, stateOf, type Fact } from '@verbalis/core/delivery';
import fc from 'fast-check';
import { BARE_MESSAGE, type DeliveryRow, type MessageRow } from './tables.js';
import { openTestStore } from '../../records/test-store.js';
import { scaled } from '../../../../../tests/support/scale.js';

const { store, close } = await openTestStore();
afterAll(close);

function rows(id: string): { message: MessageRow; delivery: DeliveryRow } {
  const message: MessageRow = {
    ...BARE_MESSAGE,
    id: `m${id}`,
    space: 'harbour',
    edition: 1,
    template: '',
    locale: 'en',
    subject: 's',
    sender: { name: '', address: 'a@b.example' },
    to: [],
    headerId: id,
    createdAt: 1,
  };
  const delivery: DeliveryRow = {
    id: `d${id}`,
    messageId: message.id,
    space: 'harbour',
    address: 'asa@post.example',
    state: 'queued',
    cause: null,
    attempts: 0,
    createdAt: 1,
    nextAttemptAt: 1,
    notBefore: null,
    owner: null,
    fairnessKey: '0/harbour//',
    domain: 'post.example',
    senderDomain: 'b.example',
    expiresAt: null,
    decidedBy: null,
    avoid: null,
    unfit: null,
    unsettled: null,
    unsettledAt: null,
    heldBy: null,
    heldFrom: null,
    intended: null,
    kept: false,
    sensitive: false,
  };
  return { message, delivery };
}

test('a thousand deliveries: facts in any order and any number give the state of their set, as the rows have it', async () => {
  const facts = fc.array(
    fc.record({
      kind: fc.constantFrom(
        'accepted',
        'delayed',
        'relayed',
        'delivered',
        'failed',
        'complained',
        'expired',
        'canceled',
        'withheld' as const,
      ),
      source: fc.constantFrom('attempt', 'return' as const),
      at: fc.nat(5),
      cause: fc.constantFrom('mailbox-full', 'policy' as const),
    }),
    { minLength: 1, maxLength: 12 },
  );
  let n = 0;
  await fc.assert(
    fc.asyncProperty(facts, fc.infiniteStream(fc.nat()), async (list, chance) => {
      const all = list.map((fact): Fact => ({
        ...fact,
        id: `${fact.kind}:${fact.source}:${fact.at}:${fact.cause}`,
        status: undefined,
        replyCode: undefined,
        diagnostic: undefined,
      }));
      const twice = [...all, ...all.filter(() => chance.next().value! % 2 === 0)];
      const orders = [twice, [...twice].sort(() => (chance.next().value! % 2 === 0 ? 1 : -1))];
      const told = await Promise.all(
        orders.map((order) => {
          n += 1;
          const key = n;
          const { message, delivery } = rows(String(key));
          return store.write((tx) => {
            store.messages.insert(tx, { message, deliveries: [delivery], idempotency: undefined });
            for (const fact of order) store.deliveries.record(tx, { ...fact, id: `${fact.id}:${key}`, deliveryId: delivery.id }, 1);
            const row = store.deliveries.find(delivery.id, tx)!;
            return { state: row.state, cause: row.cause };
          });
        }),
      );
      expect(told[0]).toEqual({ state: stateOf(all), cause: deciding(all)?.cause ?? null });
      expect(told[1]).toEqual(told[0]);
    }),
    { numRuns: scaled(300, 1000) },
  );
});
