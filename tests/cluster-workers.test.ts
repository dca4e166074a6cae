import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import type { Client } from '@verbalis/client';
import { startSmtpProvider, type SmtpSimulator } from '@verbalis/simulators';
import { startBrokers, type Brokers } from './support/brokers.js';
import { makeMachines, type Machine } from './support/cluster.js';
import { booking, smallMailFolder, temporaryFolder, until } from './support/service.js';
import { scaled } from './support/scale.js';

const EMAILS = scaled(120, 3000);

let brokers: Brokers;
beforeAll(async () => {
  brokers = await startBrokers();
});
afterAll(async () => {
  await brokers.stop();
});

const opened: (() => void | Promise<void>)[] = [];
afterEach(async () => {
  for (const close of opened.splice(0).reverse()) await close();
});

async function delivering(
  names: readonly string[],
  afterMs = 0,
): Promise<{ readonly provider: SmtpSimulator; readonly machines: readonly Machine[] }> {
  const provider = await startSmtpProvider({
    name: 'relay',
    host: '127.0.0.1',
    port: 0,
    script: {},
    behaviour: () => ({ answer: { code: 250, enhanced: '2.1.5', text: 'OK' }, afterMs }),
    returnsTo: { host: '127.0.0.1', port: 1 },
    reportAfterMs: 10,
  });
  const folder = temporaryFolder();
  opened.push(provider.close, folder.remove);
  const made = await makeMachines(brokers, {
    names,
    space: 'harbour',
    change: {
      providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: provider.port, connections: 20 } },
      spaces: {
        harbour: {
          mode: 'deliver',
          mailFolder: smallMailFolder(folder.path),
          route: ['relay'],
          senderDomains: ['saltmarsh-ferries.example'],
          runaway: false,
        },
      },
    },
  });
  opened.push(made.remove);
  return { provider, machines: made.machines };
}

let n = 0;
const nextAddress = (): string => `rider${(n += 1)}@post.example`;

async function sendAll(client: Client, count: number): Promise<string[]> {
  const addresses = Array.from({ length: count }, nextAddress);
  for (const address of addresses) await client.messages.send(booking(address), { idempotencyKey: address });
  return addresses;
}

const workersAre = (client: Client, count: number) =>
  until(async () => {
    const { workers = [] } = await client.cluster.get();
    return workers.length === count ? workers : undefined;
  });

/** How often the provider took an email to each address. */
const taken = (provider: SmtpSimulator, addresses: readonly string[]): number[] =>
  addresses.map((address) => provider.seen.get(address)?.taken ?? 0);

const allTaken = (provider: SmtpSimulator, addresses: readonly string[]) =>
  until(() => (taken(provider, addresses).every((count) => count > 0) ? true : undefined));

/** Attempts of which nobody knows how they went. */
async function uncertain(client: Client): Promise<Set<string>> {
  const found = new Set<string>();
  const seen = await client.messages.list({ limit: 200 });
  for (const { id } of seen.messages) {
    const message = await client.messages.get(id);
    for (const delivery of message.deliveries)
      if (delivery.attempts.some(({ outcome }) => outcome === 'uncertain')) found.add(delivery.address);
  }
  return found;
}

describe('delivery workers', () => {
  test('make and send what the primary has; it writes down what happened; without them it sends itself', async () => {
    const { provider, machines } = await delivering(['a']);
    const [a] = machines as [Machine];
    const primary = await a.run();
    // Its keys reach the worker sealed.
    await primary.client.domains.add({ name: 'saltmarsh-ferries.example' });
    const alone = await sendAll(primary.client, 3);
    await allTaken(provider, alone);
    const worker = await a.deliver();
    await workersAre(primary.client, 1);
    const mails = await sendAll(primary.client, EMAILS);
    await allTaken(provider, mails);
    expect(taken(provider, mails).filter((count) => count !== 1)).toEqual([]);
    await until(async () => ((await primary.client.queue.get()).waiting === 0 ? true : undefined));
    const [first] = (await primary.client.messages.list({ limit: 1 })).messages;
    const { deliveries } = await primary.client.messages.get(first!.id);
    expect(deliveries[0]).toMatchObject({ state: 'accepted', attempts: [{ provider: 'relay', outcome: 'accepted' }] });
    // The email as it left is kept, as one that the primary made.
    const source = Buffer.from(await primary.client.messages.source(first!.id)).toString();
    expect(source).toContain('d=saltmarsh-ferries.example');
    worker.kill('SIGTERM');
    await workersAre(primary.client, 0);
    const after = await sendAll(primary.client, 3);
    await allTaken(provider, after);
    expect(taken(provider, [...alone, ...after])).toEqual([1, 1, 1, 1, 1, 1]);
  });

  test('killed one after the other they lose nothing, and send twice only what is uncertain', async () => {
    const { provider, machines } = await delivering(['a'], 20);
    const [a] = machines as [Machine];
    const primary = await a.run();
    const workers = [await a.deliver(), await a.deliver()];
    await workersAre(primary.client, 2);
    const mails = await sendAll(primary.client, EMAILS / 2);
    workers[0]!.kill('SIGKILL');
    mails.push(...(await sendAll(primary.client, EMAILS / 2)));
    await a.deliver();
    workers[1]!.kill('SIGSTOP');
    mails.push(...(await sendAll(primary.client, 20)));
    await allTaken(provider, mails);
    workers[1]!.kill('SIGCONT');
    await until(async () => ((await primary.client.queue.get()).waiting === 0 ? true : undefined));
    const twice = mails.filter((address) => (provider.seen.get(address)?.taken ?? 0) > 1);
    const doubtful = await uncertain(primary.client);
    expect(twice.filter((address) => !doubtful.has(address))).toEqual([]);
  });

  test('go on for the standby that takes over; what the lost primary had let go is uncertain', async () => {
    const { provider, machines } = await delivering(['a', 'b'], 20);
    const [a, b] = machines as [Machine, Machine];
    const lost = await a.spawn();
    const standby = await b.run();
    await a.deliver();
    await workersAre(lost.client, 1);
    await until(async () => ((await lost.client.cluster.get()).state === 'healthy' ? true : undefined));
    const mails = await sendAll(lost.client, EMAILS);
    await lost.end('SIGKILL');
    a.lose();
    await until(() => (standby.role() === 'primary' ? true : undefined));
    await workersAre(standby.client, 1);
    await allTaken(provider, mails);
    await until(async () => ((await standby.client.queue.get()).due === 0 ? true : undefined));
    const twice = mails.filter((address) => (provider.seen.get(address)?.taken ?? 0) > 1);
    const doubtful = await uncertain(standby.client);
    expect(twice.filter((address) => !doubtful.has(address))).toEqual([]);
  });
});
