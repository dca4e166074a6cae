import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient, type Client, type NewMessage } from '@verbalis/client';
import { movableClock, type MovableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, startTestService, type TestService } from './support/service.js';

// An app that sends the same email to someone again and again is stopped, and nobody else is.

const HOUR = 3_600_000;
let clock: MovableClock;
let all: TestService;
let harbour: Client;
const of = (space: string): Client => createClient({ url: all.service.url, key: OPERATOR, space });

beforeAll(async () => {
  clock = movableClock(Date.parse('2026-11-20T08:00:00Z'));
  const space = { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'] };
  all = await startTestService({
    clock,
    change: {
      spaces: {
        harbour: {
          ...space,
          archive: 'archive@saltmarsh-ferries.example',
          runaway: { perHour: 3, templates: { 'departure-reminder': 5 } },
        },
        pier: { ...space, runaway: false },
        staging: {
          ...space,
          runaway: { perHour: 2 },
          recipients: { allowed: ['saltmarsh-ferries.example'], redirectTo: 'qa@saltmarsh-ferries.example' },
        },
        drydock: { mode: 'capture', mailFolder: DEMO_FOLDER, runaway: { perHour: 1 } },
      },
    },
  });
  clock.busy = all.service.busy;
  harbour = of('harbour');
});
afterAll(() => all.stop());

let n = 0;
const send = async (client: Client, message: NewMessage) =>
  (await client.messages.send({ ...message, reference: `SM-${(n += 1)}` })).deliveries;
const states = async (client: Client, times: number, message: NewMessage) => {
  const found: string[] = [];
  for (let i = 0; i < times; i += 1) found.push((await send(client, message))[0]!.state);
  return found;
};
const plain = (subject: string, to: string): NewMessage => ({ subject, text: 'x', to: [to] });

test('what is more than the cap is withheld, with its cause, until an hour has passed', async () => {
  expect(await states(harbour, 5, booking('asa@post.example'))).toEqual(['queued', 'queued', 'queued', 'withheld', 'withheld']);
  const [last] = (await harbour.messages.list({ address: 'asa@post.example', limit: 1 })).messages;
  const [delivery] = (await harbour.messages.get(last!.id)).deliveries;
  expect(delivery).toMatchObject({
    cause: 'rate',
    sentence: 'The email to asa@post.example was not sent. More than 3 emails of "booking-confirmed" to this recipient within an hour.',
    advice: expect.stringContaining('loop in the app'),
  });
  await clock.move(HOUR + 1000);
  expect(await states(harbour, 4, booking('asa@post.example'))).toEqual(['queued', 'queued', 'queued', 'withheld']);
});

test('other recipients, other templates and other subjects are counted for themselves', async () => {
  expect(await states(harbour, 4, booking('one@post.example'))).toContain('withheld');
  expect(await states(harbour, 3, booking('two@post.example'))).not.toContain('withheld');
  expect(await states(harbour, 4, plain('A', 'one@post.example'))).toEqual(['queued', 'queued', 'queued', 'withheld']);
  expect(await states(harbour, 1, plain('B', 'one@post.example'))).toEqual(['queued']);
});

test('copies go with their message: the archive gets all that is sent, and nothing of what is not', async () => {
  await clock.move(60_000);
  const before = all.simulator.seen.get('archive@saltmarsh-ferries.example')?.taken ?? 0;
  for (let i = 0; i < 6; i += 1) await send(harbour, { ...booking('copied@post.example'), bcc: ['office@saltmarsh-ferries.example'] });
  await clock.move(60_000);
  expect(all.simulator.seen.get('copied@post.example')?.taken).toBe(3);
  expect(all.simulator.seen.get('office@saltmarsh-ferries.example')?.taken).toBe(3);
  expect((all.simulator.seen.get('archive@saltmarsh-ferries.example')?.taken ?? 0) - before).toBe(3);
});

test('it can be switched off, and stops nobody whose mail reaches one address or none', async () => {
  expect(await states(of('pier'), 6, booking('asa@post.example'))).not.toContain('withheld');
  expect(await states(of('staging'), 4, booking('asa@post.example'))).not.toContain('withheld');
  expect(await states(of('drydock'), 4, booking('asa@post.example'))).not.toContain('withheld');
});

test('a batch and requests at once are counted exactly', async () => {
  await harbour.messages.sendBatch({
    mode: 'all',
    messages: Array.from({ length: 5 }, () => booking('batch@post.example')),
  });
  await Promise.all(Array.from({ length: 10 }, () => send(harbour, booking('burst@post.example'))));
  await clock.move(60_000);
  expect(all.simulator.seen.get('batch@post.example')?.taken).toBe(3);
  expect(all.simulator.seen.get('burst@post.example')?.taken).toBe(3);
});
