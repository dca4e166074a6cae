import { afterAll, afterEach, beforeAll, expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import { startBrokers, type Brokers } from './support/brokers.js';
import { makeMachines } from './support/cluster.js';
import { booking, until } from './support/service.js';
import { smallDisk } from './support/small-disk.js';
import { hashesOf } from './support/tables.js';

// What the log has and the primary could not commit is the point where they could part.
let brokers: Brokers;
beforeAll(async () => {
  brokers = await startBrokers();
});
afterAll(() => brokers.stop());
const opened: (() => unknown)[] = [];
afterEach(async () => {
  for (const close of opened.splice(0).reverse()) await close();
});

const roleIs = (client: Client, role: string) =>
  until(async () => ((await client.cluster.get().catch(() => undefined))?.role === role ? true : undefined));
const isHealthy = (client: Client) =>
  until(async () => {
    const found = await client.cluster.get().catch(() => undefined);
    return found?.state === 'healthy' && found.nodes.every(({ record }) => record === found.log?.last) ? true : undefined;
  });
let n = 0;

test('a primary whose disk is full hands over, and is a standby when there is room again; nothing that was accepted is lost', async () => {
  const disk = smallDisk(24);
  const { machines, remove } = await makeMachines(brokers, { disks: { a: disk.path } });
  opened.push(disk.remove, remove);
  const [a, b] = machines;
  const first = await a!.spawn();
  const second = await b!.spawn();
  await isHealthy(first.client);
  const accepted: string[] = [];
  disk.fill(24_000_000 - 8_000_000);
  let client = first.client;
  const send = async (): Promise<boolean> => {
    const address = `guest${(n += 1)}@post.example`;
    return client.messages.send(booking(address), { idempotencyKey: address }).then(
      ({ id }) => accepted.push(id) > 0,
      () => false,
    );
  };
  while (await send());
  await roleIs(second.client, 'primary');
  client = second.client;
  for (let i = 0; i < 20; i += 1) expect(await send()).toBe(true);
  disk.fill(0);
  await isHealthy(second.client);
  await roleIs(first.client, 'standby');
  for (const id of accepted) expect((await second.client.messages.get(id)).id).toBe(id);
  await first.client.cluster.drain({});
  await second.end('SIGTERM');
  await first.end('SIGTERM');
  expect(hashesOf(a!.database)).toEqual(hashesOf(b!.database));
});
