import { afterEach, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { movableClock } from './support/clock.js';
import { booking, OPERATOR, startTestService, until, type TestService } from './support/service.js';

// The stop button: what a person holds does not leave, and is not lost.

let all: TestService | undefined;
afterEach(async () => {
  await all?.stop();
  all = undefined;
});

async function start(options: Parameters<typeof startTestService>[0] = {}): Promise<TestService & { readonly operator: Client }> {
  all = await startTestService(options);
  return { ...all, operator: createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' }) };
}

const plain = (to: string, more = {}) => ({ subject: 'Timetable', text: 'The ferry leaves at nine.', to: [to], ...more });

test('what is held does not leave, others do; what is let go leaves in the order in which it came', async () => {
  // On one connection: on several, a later one may arrive first.
  const { client, operator, ended, simulator } = await start({
    change: (port) => ({ providers: { relay: { kind: 'smtp', host: '127.0.0.1', port, connections: 1 } } }),
  });
  const hold = await operator.holds.add({ template: 'booking-confirmed', reason: 'wrong prices' });
  expect(hold).toMatchObject({ held: 0, template: 'booking-confirmed' });
  const ids: string[] = [];
  for (let i = 0; i < 5; i += 1) ids.push((await client.messages.send(booking(`guest${i}@post.example`))).id);
  await ended((await client.messages.send(plain('asa@post.example'))).id, 'accepted');
  await until(async () => ((await operator.holds.list()).holds[0]?.held === 5 ? true : undefined));
  const [held] = (await client.messages.get(ids[0]!)).deliveries;
  expect(held).toMatchObject({ state: 'queued', attempts: [], waitsFor: `it is held (${hold.id}: wrong prices)` });
  expect((await client.queue.get()).waiting).toBe(5);
  expect(await operator.holds.release({ id: hold.id })).toEqual({ released: [hold.id], deliveries: 5 });
  for (const id of ids) await ended(id, 'accepted');
  expect([...simulator.seen.keys()].filter((address) => address.startsWith('guest'))).toEqual(ids.map((_, i) => `guest${i}@post.example`));
  expect(await operator.holds.list()).toEqual({ holds: [] });
});

test('what waits already is held by each field of a filter, counted, and canceled', async () => {
  const { client, operator, ended } = await start();
  await operator.providers.pause('relay');
  const { id: booked } = await client.messages.send(booking('asa@post.example'));
  const { id: labelled } = await client.messages.send(plain('jon@post.example', { labels: { port: 'vagur' } }));
  const { id: other } = await client.messages.send(plain('jon@island.example', { labels: { port: 'torsey' } }));
  const { edition } = await client.messages.get(booked);
  for (const [filter, held] of [
    [{ template: 'booking-confirmed', edition: edition + 1 }, 0],
    [{ edition, template: 'booking-confirmed' }, 1],
    [{ domain: 'ISLAND.example' }, 1],
    [{ labels: { port: 'vagur' } }, 1],
    [{ all: true }, 0],
  ] as const)
    expect(await operator.holds.add(filter)).toMatchObject({ held });
  expect(await operator.queue.cancel({ labels: { port: 'torsey' }, check: true })).toEqual({ deliveries: 1, more: false });
  expect(await operator.queue.cancel({ labels: { port: 'torsey' } })).toEqual({ deliveries: 1, more: false });
  await ended(other, 'canceled');
  await operator.providers.resume('relay');
  // One hold is over, the other that means the same email keeps it.
  expect(await operator.holds.release({ template: 'booking-confirmed' })).toMatchObject({ deliveries: 1, released: { length: 2 } });
  expect((await client.messages.get(booked)).deliveries[0]).toMatchObject({ state: 'queued' });
  expect(await operator.holds.release({ all: true })).toMatchObject({ released: { length: 3 } });
  await ended(booked, 'accepted');
  await ended(labelled, 'accepted');
});

test('a deadline passes while it is held: it is never sent', async () => {
  const clock = movableClock(Date.parse('2026-06-01T09:00:00Z'));
  const { client, operator, ended, simulator } = await start({ clock });
  await operator.holds.add({ all: true });
  const expiresAt = new Date(clock.now() + 600_000).toISOString();
  const { id } = await client.messages.send(plain('asa@post.example', { expiresAt }));
  await clock.move(1000);
  await until(async () => ((await operator.holds.list()).holds[0]?.held === 1 ? true : undefined));
  await clock.move(700_000);
  await ended(id, 'expired');
  await operator.holds.release({ all: true });
  expect(simulator.seen.size).toBe(0);
});

test('a hold keeps its own space, and a key that may only send may not use it', async () => {
  const { service, client, operator } = await start();
  await operator.holds.add({ all: true });
  await expect(client.holds.add({ all: true })).rejects.toMatchObject({ problem: { status: 403 } });
  await expect(client.queue.cancel({ all: true })).rejects.toMatchObject({ problem: { status: 403 } });
  const drydock = createClient({ url: service.url, key: OPERATOR, space: 'drydock' });
  expect(await drydock.holds.list()).toEqual({ holds: [] });
  await expect(drydock.holds.release({ all: true })).rejects.toMatchObject({ problem: { status: 404 } });
  const { id } = await drydock.messages.send(plain('asa@post.example'));
  await until(async () => ((await drydock.messages.get(id)).deliveries[0]?.state === 'accepted' ? true : undefined));
});

test.each([[{}], [{ all: true, topic: 'bookings' }]])('a filter that does not say what it means is refused: %j', async (filter) => {
  const { operator } = await start();
  await expect(operator.holds.add(filter as { all: true })).rejects.toMatchObject({ problem: { status: 422 } });
  await expect(operator.queue.cancel(filter as { all: true })).rejects.toMatchObject({ problem: { status: 422 } });
});
