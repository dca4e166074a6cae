import { expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import { reconcile, type Offered } from './prove-report.js';
import type { World } from './prove-world.js';

/** What a service says of one message, and what the world has seen. */
function holding({
  state = 'accepted',
  uncertain = 0,
  accepted = 1,
  arrived = ['e1', 'e2'],
}: {
  readonly state?: string;
  readonly uncertain?: number;
  readonly accepted?: number;
  readonly arrived?: readonly string[];
}) {
  const attempts = Array.from({ length: uncertain }, () => ({ outcome: 'uncertain' }));
  const client = {
    messages: { get: () => Promise.resolve({ deliveries: [{ state, attempts }] }) },
    events: {
      list: () =>
        Promise.resolve({
          events: [
            { id: 'e2', type: 'verbalis.delivery.delivered', subject: 'd1' },
            { id: 'e1', type: 'verbalis.delivery.accepted', subject: 'd1' },
            // Of before the consumer.
            { id: 'e0', type: 'verbalis.audit.recorded' },
          ],
        }),
    },
  } as unknown as Client;
  const world = { accepted: () => accepted, events: new Map([['d1', arrived]]) } as unknown as World;
  const offered: Offered[] = [{ id: 'm1', address: 'accept-1@post.example', behaviour: 'accept' }];
  return reconcile(client, world, offered, { kills: 1, pauses: 0, jumps: 0 });
}

test.each([
  ['all is well', {}, { ok: true, messages: 1, events: 2 }],
  ['an email that never came', { accepted: 0 }, { ok: false, lost: 1 }],
  ['one that came twice after a doubt', { accepted: 2, uncertain: 1 }, { ok: true, duplicates: 1, unexplained: 0 }],
  ['one that came twice without any', { accepted: 2 }, { ok: false, duplicates: 1, unexplained: 1 }],
  ['some doubts, of which chance made none real', { uncertain: 15 }, { ok: true, uncertain: 15 }],
  ['doubts without number', { uncertain: 30 }, { ok: false, uncertain: 30 }],
  ['doubts of which enough were real', { uncertain: 30, accepted: 11 }, { ok: true, uncertain: 30, duplicates: 10 }],
  ['a delivery that does not end', { state: 'delayed' }, { ok: false, stuck: 1 }],
  ['a delivery that ended as it must not', { state: 'failed' }, { ok: false, wrong: 1 }],
  ['an event that was not notified', { arrived: ['e1'] }, { ok: false, missing: 1 }],
  ['events in another order', { arrived: ['e2', 'e1'] }, { ok: false, disordered: 1 }],
])('%s', async (_name, found, expected) => {
  expect(await holding(found)).toMatchObject(expected);
});
