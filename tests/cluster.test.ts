import { copyFileSync, existsSync, readdirSync, readFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { basename, join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { connectBrokers, logBounds, logSink, namesOf, openCluster } from '@verbalis/service/cluster';
import { placeOfFile } from '@verbalis/service/kernel';
import { headers } from '@nats-io/transport-node';
import { pino } from 'pino';
import { startBrokers, type Brokers } from './support/brokers.js';
import { cuttable } from './support/cuttable.js';
import { spawnCli } from './support/cli.js';
import { makeMachines, type ChildNode, type Machine } from './support/cluster.js';
import { freePort } from './support/postfix.js';
import { booking, DEMO_FOLDER, OPERATOR, until } from './support/service.js';
import { hashesOf } from './support/tables.js';

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

async function cluster(options: Parameters<typeof makeMachines>[1] = {}) {
  const made = await makeMachines(brokers, options);
  opened.push(made.remove);
  const [a, b, c] = made.machines;
  return { ...made, a: a!, b: b!, c };
}

let n = 0;
const newAddress = (): string => `guest${(n += 1)}@post.example`;

/** The state of the cluster, once it is as wanted. */
const stateIs = (client: Client, wanted: string) =>
  until(async () => {
    const found = await client.cluster.get().catch(() => undefined);
    return found?.state === wanted ? found : undefined;
  });

/** Once a standby has everything that the log has. */
const isLevel = (client: Client) =>
  until(async () => {
    const found = await client.cluster.get().catch(() => undefined);
    const last = found?.log?.last;
    return found?.nodes.every(({ record, role }) => role === 'primary' || record === last) === true ? found : undefined;
  });

const sameFiles = (x: Machine, y: Machine): void => {
  expect(hashesOf(y.database)).toEqual(hashesOf(x.database));
};

/** Ends both with the same records: the standby follows to the end, and takes no place. */
async function endTogether(
  primary: { readonly end: () => Promise<void> },
  standby: { readonly client: Client; readonly end: () => Promise<void> },
): Promise<void> {
  await standby.client.cluster.drain({});
  await primary.end();
  await until(async () => {
    const { nodes, log, node } = await standby.client.cluster.get();
    return nodes.find((other) => other.node === node)?.record === log?.last ? true : undefined;
  });
  await standby.end();
}
const ofNode = (node: { readonly client: Client; readonly stop: () => Promise<void> }) => ({ client: node.client, end: node.stop });
const ofChild = (child: ChildNode) => ({ client: child.client, end: () => child.end('SIGTERM') });

/** After an answer each sender waits for so long, in milliseconds. */
const PACE_MS = 50;
/** The last that nodes have logged. */
const lastOf = (...nodes: readonly { readonly logs: readonly string[] }[]): string =>
  nodes.map(({ logs }, n) => `Node ${n + 1}:\n${logs.slice(-40).join('')}`).join('\n');

/**
 * Sends messages one after the other until it is ended; those that were accepted are remembered.
 * @param logs what the nodes have logged, where that is known
 */
function sending(client: () => Client, logs = () => '') {
  const accepted = new Map<string, string>();
  const refused: number[] = [];
  let isEnded = false;
  let inTurn = 0;
  const run = async (): Promise<void> => {
    while (!isEnded) {
      const address = newAddress();
      const key = `k-${address}`;
      for (;;) {
        try {
          const { id } = await client().messages.send(booking(address), { idempotencyKey: key });
          accepted.set(id, address);
          inTurn = 0;
          // Load enough for each step of a test, with most of the processors left to it.
          await new Promise((done) => setTimeout(done, PACE_MS));
          break;
        } catch (error) {
          refused.push((error as { problem?: { status: number } }).problem?.status ?? 0);
          inTurn += 1;
          if (isEnded) return;
          await new Promise((done) => setTimeout(done, PACE_MS));
        }
      }
    }
  };
  const running = Promise.all([run(), run(), run()]);
  return {
    accepted,
    refused,
    /** Resolves when so many more were accepted. */
    more: (count: number) => {
      const from = accepted.size;
      return until(
        () => (accepted.size >= from + count ? true : undefined),
        () =>
          `Accepted ${accepted.size - from} of ${count}; refused as ${refused.slice(-20).join(', ')}; ${inTurn} of them since\n${logs()}`,
      );
    },
    end: async () => {
      isEnded = true;
      await running;
      return inTurn;
    },
  };
}

/** Every message that was accepted is there, once. */
async function allThere(client: Client, accepted: ReadonlyMap<string, string>): Promise<void> {
  const found = new Map<string, string>();
  let cursor: string | undefined;
  do {
    const page = await client.messages.list({ limit: 200, ...(cursor === undefined ? {} : { cursor }) });
    for (const { id, deliveries } of page.messages) found.set(id, deliveries[0]?.address ?? '');
    cursor = page.nextCursor;
  } while (cursor !== undefined);
  expect([...accepted].filter(([id, address]) => found.get(id) !== address)).toEqual([]);
  const addresses = [...found.values()];
  expect(addresses.length).toBe(new Set(addresses).size);
}

describe('a standby', () => {
  test('has every change of the primary, answers reads, and refuses the rest with a way to the primary', async () => {
    const { a, b } = await cluster();
    const primary = await a.run();
    expect(primary.role()).toBe('primary');
    const { id } = await primary.client.messages.send(booking('asa@post.example'));
    const standby = await b.run();
    expect(standby.role()).toBe('standby');
    const { state, primary: who } = await stateIs(primary.client, 'healthy');
    expect([state, who?.node]).toEqual(['healthy', 'a']);
    await until(async () => ((await primary.client.messages.get(id)).deliveries[0]?.state === 'accepted' ? true : undefined));
    // A message of several records: its parts are put together.
    const bytes = Buffer.alloc(1_400_000, 'letters and numbers ');
    const attachments = [{ name: 'terms.txt', content: bytes.toString('base64') }];
    await primary.client.messages.send({ ...booking('bo@post.example', 'SM-7777'), attachments });
    await isLevel(primary.client);
    expect((await standby.client.messages.get(id)).subject).toBe((await primary.client.messages.get(id)).subject);
    expect((await standby.client.captured.list()).captured.length).toBeGreaterThan(0);
    expect((await standby.client.captured.list({ find: 'SM-7777' })).captured).toHaveLength(1);
    for (const refused of [
      standby.client.messages.send(booking('x@post.example')),
      standby.client.keys.add({ name: 'x', scopes: ['read'] }),
    ])
      await expect(refused).rejects.toMatchObject({
        problem: { status: 503, type: 'urn:verbalis:problem:standby', hint: expect.stringContaining(primary.url) },
      });
    const [captured] = (await standby.client.captured.list()).captured;
    await expect(standby.client.captured.get(captured!.id)).rejects.toMatchObject({
      problem: { detail: expect.stringContaining('audit log') },
    });
    expect(await standby.client.readiness()).toMatchObject({ ready: false });
    for (const page of ['go', 'image', 'unsubscribe', 'preferences', 'join', 'domain', 'confirm'])
      expect([page, (await fetch(`${standby.url}/${page}/x`)).status]).toEqual([page, 503]);
    expect((await fetch(`${standby.url}/assets/x`)).status).not.toBe(503);
    // What the primary has beside its database: keys of sensitive data, for tomorrow too, and the ledger of erasures.
    await primary.client.addresses.erase('bo@post.example');
    const beside = (machine: Machine) => {
      const folder = join(machine.database, '../day-keys');
      const files = [...readdirSync(folder).map((file) => join(folder, file)), `${machine.database}.erasures`];
      return files.map((file) => [basename(file), readFileSync(file, 'hex')]);
    };
    await until(() => (existsSync(`${b.database}.erasures`) ? true : undefined));
    expect(beside(b)).toEqual(beside(a));
    expect(beside(a)).toHaveLength(3);
    await endTogether(ofNode(primary), ofNode(standby));
    sameFiles(a, b);
  });

  test('answers with what the primary has changed, also of what a service reads once and keeps', async () => {
    const { a, b } = await cluster();
    const [primary, standby] = [await a.run(), await b.run()];
    await stateIs(primary.client, 'healthy');
    const names = async () => (await standby.client.domains.list()).domains.map(({ name }) => name);
    const rules = async () => (await standby.client.signals.rules()).rules.map(({ name }) => name);
    // Read once, before the changes.
    expect([await names(), (await rules()).includes('item-found')]).toEqual([[], false]);
    await primary.client.domains.add({ name: 'tern-island.example' });
    await primary.client.holds.add({ template: 'pier-bulletin', reason: 'wrong picture' });
    await spawnCli(['publish', DEMO_FOLDER, '--url', primary.url, '--key', OPERATOR, '--space', 'drydock']);
    await until(async () => ((await names()).includes('tern-island.example') ? true : undefined));
    await until(async () => ((await standby.client.holds.list()).holds.length === 1 ? true : undefined));
    await until(async () => ((await rules()).includes('item-found') ? true : undefined));
  });

  test('starts again with a snapshot where the log has gone on without it', async () => {
    // A snapshot with each look, and what is before the one before it is given up.
    const { a, b } = await cluster({ cluster: { snapshotHours: 0.0001 } });
    const [primary, standby] = [await a.run(), await b.run()];
    await stateIs(primary.client, 'healthy');
    await standby.stop();
    const { log } = await primary.client.cluster.get();
    await until(async () => {
      await primary.client.messages.send(booking(newAddress()));
      return ((await primary.client.cluster.get()).log?.first ?? 0) > (log?.last ?? 0) + 1 ? true : undefined;
    });
    const again = await b.run();
    expect(again.logs.join('')).toContain('made again of the newest snapshot');
    await stateIs(primary.client, 'healthy');
    await isLevel(primary.client);
    await endTogether(ofNode(primary), ofNode(again));
    sameFiles(a, b);
  });

  test('is refused a file that is not of its cluster, and leaves it alone', async () => {
    const [{ a }, other] = [await cluster(), await cluster()];
    copyFileSync(a.database, other.b.database);
    const before = hashesOf(other.b.database);
    await expect(other.b.run()).rejects.toThrow('is not a database of this cluster');
    expect(hashesOf(other.b.database)).toEqual(before);
  });
});

describe('when a machine is lost', () => {
  test('a standby takes over with everything that was accepted; the lost one comes back from nothing', async () => {
    const { a, b } = await cluster();
    const lost = await a.spawn();
    const standby = await b.spawn();
    await stateIs(lost.client, 'healthy');
    let client = lost.client;
    const load = sending(() => client);
    await load.more(30);
    await lost.end('SIGKILL');
    a.lose();
    client = standby.client;
    await load.more(30);
    await load.end();
    await allThere(standby.client, load.accepted);
    const back = await a.spawn();
    await stateIs(standby.client, 'healthy');
    await isLevel(standby.client);
    await endTogether(ofChild(standby), ofChild(back));
    sameFiles(a, b);
  });

  test('a primary that was stopped and overtaken acknowledges nothing, and goes on as a standby', async () => {
    const { a, b } = await cluster();
    const first = await a.spawn();
    const second = await b.spawn();
    await stateIs(first.client, 'healthy');
    const before = sending(() => first.client);
    await before.more(10);
    first.child.kill('SIGSTOP');
    const known = new Set(before.accepted.keys());
    const { id } = await until(() => second.client.messages.send(booking('new@post.example')).catch(() => undefined));
    first.child.kill('SIGCONT');
    await until(async () => ((await first.client.cluster.get().catch(() => undefined))?.role === 'standby' ? true : undefined));
    await before.end();
    // Whatever it acknowledged after it went on, the other one has.
    await allThere(second.client, before.accepted);
    expect([...known].every((known) => before.accepted.has(known))).toBe(true);
    await isLevel(second.client);
    expect((await first.client.messages.get(id)).id).toBe(id);
    await endTogether(ofChild(second), ofChild(first));
    sameFiles(a, b);
  });
});

test('a former primary that still writes when another node takes over is ended by it at once', async () => {
  const { a, b, prefix } = await cluster();
  const lost = await a.spawn();
  const standby = await b.run();
  await stateIs(lost.client, 'healthy');
  const at = await openCluster({ servers: [...brokers.servers], prefix } as never, (path) => path);
  opened.push(() => at.connection.close());
  await lost.end('SIGKILL');
  // Someone has the place of the primary in the log, and goes on without the lease.
  const sink = logSink(at, { superseded: () => undefined, log: pino({ level: 'silent' }) });
  const { layout } = placeOfFile(b.database);
  let place = { seq: (await logBounds(at)).last, group: '' };
  let written = 0;
  const writing = (async () => {
    for (;;) {
      const planned = sink.plan({ at: Date.now(), changes: '[]' }, place, layout);
      if ((await planned.store(new AbortController().signal)) !== true) return;
      ({ place } = planned);
      written += 1;
    }
  })();
  await until(async () => ((await standby.client.cluster.get().catch(() => undefined))?.role === 'primary' ? true : undefined));
  await writing;
  expect(written).toBeGreaterThan(0);
  await standby.client.messages.send(booking(newAddress()));
  const count = (words: string): number => standby.logs.filter((line) => line.includes(words)).length;
  expect([count('this node takes over'), count('this node is the primary'), count('has taken over')]).toEqual([1, 1, 0]);
});

test('a primary that is cut off from the brokers acknowledges nothing, and is a standby when it reaches them again', async () => {
  const ways = await Promise.all(brokers.servers.map(cuttable));
  opened.push(async () => {
    for (const way of ways) await way.close();
  });
  const { a, b } = await cluster({ serversOf: (name) => (name === 'a' ? ways.map(({ address }) => address) : brokers.servers) });
  const [first, second] = [await a.run(), await b.run()];
  await stateIs(first.client, 'healthy');
  const load = sending(
    () => (second.role() === 'primary' ? second.client : first.client),
    () => lastOf(first, second),
  );
  await load.more(10);
  for (const way of ways) way.cut();
  const refused = await fetch(`${first.url}/v1/messages`, {
    method: 'POST',
    headers: { authorization: `Bearer ${OPERATOR}`, 'verbalis-space': 'drydock', 'content-type': 'application/json' },
    body: JSON.stringify(booking(newAddress())),
  });
  expect(refused.status).toBe(503);
  await until(() => (second.role() === 'primary' ? true : undefined));
  // It believes that it is the primary, and can tell nobody that anything is stored.
  expect(first.role()).toBe('primary');
  await load.more(10);
  for (const way of ways) way.mend();
  await until(() => (first.role() === 'standby' ? true : undefined));
  await load.more(10);
  await load.end();
  await allThere(second.client, load.accepted);
  await stateIs(second.client, 'healthy');
  await isLevel(second.client);
  await endTogether(ofNode(second), ofNode(first));
  sameFiles(a, b);
});

describe('when brokers are lost', () => {
  test('one of three costs nothing; without a majority nothing is accepted, and nothing is lost', async () => {
    const own = await startBrokers();
    opened.push(own.stop);
    const made = await makeMachines(own);
    opened.push(made.remove);
    const [a, b] = made.machines as [Machine, Machine];
    const [primary, standby] = [await a.run(), await b.run()];
    await stateIs(primary.client, 'healthy');
    // Whoever is first at the brokers when they are back is the primary then.
    const client = () => (standby.role() === 'primary' ? standby.client : primary.client);
    const load = sending(client, () => lastOf(primary, standby));
    await load.more(10);
    await own.kill(0);
    await load.more(30);
    await until(async () => {
      const { state, problem } = await client().cluster.get();
      return state === 'broker-missing' && problem?.startsWith('2 of 3 brokers have the log.') === true ? true : undefined;
    });
    await own.kill(1);
    const at = load.accepted.size;
    // One or two may have been stored before; then nothing more.
    await until(() => (load.refused.includes(503) ? true : undefined));
    expect(load.accepted.size - at).toBeLessThan(20);
    const during = await fetch(`${primary.url}/v1/messages`, {
      method: 'POST',
      headers: { authorization: `Bearer ${OPERATOR}`, 'verbalis-space': 'drydock', 'content-type': 'application/json' },
      body: JSON.stringify(booking(newAddress())),
    });
    expect([during.status, Number(during.headers.get('retry-after')) > 0]).toEqual([503, true]);
    own.start(0);
    own.start(1);
    await load.more(30);
    await load.end();
    await stateIs(client(), 'healthy');
    await allThere(client(), load.accepted);
    await isLevel(client());
    const [last, other] = standby.role() === 'primary' ? [standby, primary] : [primary, standby];
    await endTogether(ofNode(last), ofNode(other));
    sameFiles(a, b);
  });

  test('a broker that hangs is given up', async () => {
    const own = await startBrokers();
    opened.push(own.stop);
    const made = await makeMachines(own, { names: ['a'] });
    opened.push(made.remove);
    const primary = await made.machines[0]!.run();
    const load = sending(
      () => primary.client,
      () => lastOf(primary),
    );
    await load.more(5);
    for (const hung of [0, 1, 2]) {
      own.pause(hung);
      await load.more(5);
      own.resume(hung);
      await load.more(5);
    }
    await load.end();
    await allThere(primary.client, load.accepted);
  });
});

test('parts of a group whose writer ended are passed over, also by a standby that takes over behind them', async () => {
  const { a, b, prefix } = await cluster();
  const [primary, standby] = [await a.run(), await b.run()];
  await stateIs(primary.client, 'healthy');
  const { id } = await primary.client.messages.send(booking('asa@post.example'));
  await isLevel(primary.client);
  await primary.stop();
  const own = await connectBrokers({ servers: [...brokers.servers], prefix } as never, (path) => path);
  const part = headers();
  part.set('Verbalis-Group', 'never-ended');
  part.set('Verbalis-Part', '1/2');
  part.set('Verbalis-Layout', '1');
  await own.streams.publish(namesOf(prefix).logSubject, '{', { headers: part });
  await own.close();
  await until(() => (standby.role() === 'primary' ? true : undefined));
  expect((await standby.client.messages.get(id)).id).toBe(id);
  await standby.client.messages.send(booking('bo@post.example'));
  const again = await a.run();
  await stateIs(standby.client, 'healthy');
  await isLevel(standby.client);
  await endTogether(ofNode(standby), ofNode(again));
  sameFiles(a, b);
});

test('an operator changes the primary, and takes a node out of turn; nothing is refused for good meanwhile', async () => {
  const { a, b } = await cluster();
  const [first, second] = [await a.run(), await b.run()];
  await stateIs(first.client, 'healthy');
  let client = first.client;
  const load = sending(() => client);
  await load.more(5);
  await expect(first.client.cluster.promote()).rejects.toMatchObject({ problem: { type: 'urn:verbalis:problem:primary-already' } });
  await second.client.cluster.promote();
  await until(() => (second.role() === 'primary' ? true : undefined));
  client = second.client;
  await load.more(5);
  await stateIs(second.client, 'healthy');
  await second.client.cluster.drain({});
  await until(() => (first.role() === 'primary' && second.role() === 'drained' ? true : undefined));
  client = first.client;
  await load.more(5);
  await load.end();
  await allThere(first.client, load.accepted);
  expect((await stateIs(first.client, 'no-standby')).problem).toContain('No standby could take over');
  await second.client.cluster.drain({ drained: false });
  await stateIs(first.client, 'healthy');
  await endTogether(ofNode(first), ofNode(second));
  sameFiles(a, b);
});

test('a node that cannot take over yet tries again', async () => {
  const port = await freePort();
  const { a, b } = await cluster({ change: { returns: { port, domain: 'returns.saltmarsh-ferries.example' } } });
  const [first, second] = [await a.run(), await b.run()];
  await stateIs(first.client, 'healthy');
  await first.stop();
  const other = createServer().listen(port, '127.0.0.1');
  await until(() => (second.logs.join('').includes('a step of this node failed') ? true : undefined));
  await new Promise((done) => other.close(done));
  await until(() => (second.role() === 'primary' ? true : undefined));
  await second.client.messages.send(booking(newAddress()));
});

test('without a cluster the calls say so', async () => {
  const { startTestService } = await import('./support/service.js');
  const own = await startTestService();
  opened.push(own.stop);
  const operator = createClient({ url: own.service.url, key: OPERATOR, space: 'harbour' });
  expect(await operator.cluster.get()).toEqual({ state: 'off', nodes: [] });
  await expect(operator.cluster.promote()).rejects.toMatchObject({ problem: { type: 'urn:verbalis:problem:no-cluster' } });
});
