import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { State } from '@verbalis/core/delivery';
import fc from 'fast-check';
import { messagePage, type MessageFilter } from './list-queries.js';
import type { DeliveryRow, MessageRow } from './tables.js';
import { openTestStore, testDelivery, testMessage, type TestStore } from '../../records/test-store.js';

const TEMPLATES = ['booking-confirmed', 'sign-in-code', 'never-used'] as const;
const STATES = ['queued', 'accepted', 'failed'] as const;
const ADDRESSES = ['asa@post.example', 'liv@post.example', 'nobody@post.example'] as const;

interface Made {
  readonly message: MessageRow;
  readonly deliveries: readonly DeliveryRow[];
}

function made(space: string, at: number, template: string, reference: string, recipients: readonly (readonly [string, State])[]): Made {
  const message = testMessage(at, { space, template, reference });
  const deliveries = recipients.map(([address, state]) => testDelivery(message, address, { state, nextAttemptAt: null }));
  return { message, deliveries };
}

let store: TestStore;
const all: Made[] = [];
beforeAll(async () => {
  store = await openTestStore();
  for (let i = 0; i < 400; i += 1) {
    const recipients = Array.from({ length: 1 + (i % 3) }, (_, n) => [ADDRESSES[(i + n) % 2]!, STATES[(i * 7 + n) % 3]!] as const);
    all.push(made(i % 10 === 9 ? 'pier' : 'harbour', 1000 + i * 10, TEMPLATES[i % 2]!, `SM-${i % 17}`, recipients));
  }
  await store.store.write((tx) => {
    for (const one of all) store.store.messages.insert(tx, { ...one, idempotency: undefined });
  });
});
afterAll(() => store.close());

/** What the filter means, said plainly. */
function fits({ message, deliveries }: Made, filter: MessageFilter): boolean {
  const { space, template, reference, state, address, from = 0, to = Number.POSITIVE_INFINITY } = filter;
  return (
    message.space === space &&
    (template === undefined || message.template === template) &&
    (reference === undefined || message.reference === reference) &&
    ((state === undefined && address === undefined) ||
      deliveries.some(
        (delivery) => (state === undefined || delivery.state === state) && (address === undefined || delivery.address === address),
      )) &&
    message.createdAt >= from &&
    message.createdAt < to
  );
}

test('any combination of filters gives what fits, newest first, page by page, once each', () => {
  const some = <T>(values: readonly T[]) => fc.option(fc.constantFrom(...values), { nil: undefined });
  const filters = fc.record({
    space: fc.constantFrom('harbour', 'pier', 'nowhere'),
    limit: fc.integer({ min: 1, max: 60 }),
    template: some(TEMPLATES),
    reference: some(['SM-0', 'SM-16', 'SM-99']),
    state: some(STATES),
    address: some(ADDRESSES),
    from: some([1500, 4000]),
    to: some([1600, 4500]),
  });
  fc.assert(
    fc.property(filters, (filter) => {
      const found: string[] = [];
      for (let before: string | undefined, pages = 0; ; pages += 1) {
        const page = messagePage({ ...filter, before }, store.store.reads);
        expect(page.ids.length).toBeLessThanOrEqual(filter.limit);
        found.push(...page.ids);
        before = page.next;
        if (before === undefined) break;
        expect(pages).toBeLessThan(500);
      }
      const wanted = all.filter((row) => fits(row, filter)).map(({ message }) => message.id);
      expect(found).toEqual(wanted.reverse());
    }),
    { numRuns: 400 },
  );
});

test('a look that finds nothing ends after so many steps, says so, and goes on from there', async () => {
  // Two conditions that alternate and never meet: no index alone can tell.
  const apart = await openTestStore();
  const rows = Array.from({ length: 8000 }, (_, i) =>
    made('harbour', 1000 + i, TEMPLATES[i % 2]!, 'x', [['asa@post.example', i % 2 === 0 ? 'accepted' : 'failed']]),
  );
  await apart.store.write((tx) => {
    for (const row of rows) apart.store.messages.insert(tx, { ...row, idempotency: undefined });
  });
  const filter = { space: 'harbour', limit: 10, template: TEMPLATES[0], state: 'failed' as const };
  const first = messagePage(filter, apart.store.reads);
  expect(first).toMatchObject({ ids: [], partial: true });
  let before = first.next;
  let pages = 1;
  for (; before !== undefined; pages += 1) before = messagePage({ ...filter, before }, apart.store.reads).next;
  expect(pages).toBeGreaterThan(1);
  // One that has no hit in its own index costs one look.
  expect(messagePage({ ...filter, template: 'never-used' }, apart.store.reads)).toEqual({ ids: [], next: undefined, partial: false });
  await apart.close();
});
