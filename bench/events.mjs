// Notifications to one fast consumer on loopback (events read, filtered, signed, sent, written), against autocannon's requests with a body of
// the same size to the same consumer.
import { fork } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import autocannon from 'autocannon';
import { folder, root } from './support/processes.mjs';
import { historyRows } from './support/rows.mjs';

const EVENTS = 10_000;
const MANY = 200;
const EACH = 50;

export const runs = 3;

export default async function bench() {
  const service = (door) => import(join(root, `packages/service/dist/${door}`));
  const { openStore } = await service('records/index.js');
  const { eventFeed } = await service('features/events/index.js');
  const { notifier } = await service('features/webhooks/index.js');
  const { SYSTEM_CLOCK, workerGroup } = await service('kernel/index.js');
  const path = folder();
  const file = join(path, 'consumer.mjs');
  writeFileSync(
    file,
    `import { createServer } from 'node:http';
const server = createServer((request, response) => { request.resume(); request.on('end', () => response.end()); });
server.listen(0, '127.0.0.1', () => process.send(server.address().port));`,
  );
  const child = fork(file);
  const port = await new Promise((done) => child.once('message', done));
  const url = `http://127.0.0.1:${port}/`;
  const log = { info() {}, warn() {}, error: console.error };
  const store = await openStore(join(path, 'events.sqlite'), { log, clock: SYSTEM_CLOCK });
  await historyRows(store, { messages: EVENTS / 2, from: Date.now() - 3_600_000, to: Date.now(), space: 'x' });
  const feed = eventFeed(store);
  const notifying = notifier({
    store,
    workers: workerGroup({ clock: SYSTEM_CLOCK, log }),
    clock: SYSTEM_CLOCK,
    log,
    feed,
    rules: { allow: ['127.0.0.1'] },
    master: Buffer.alloc(32, 1),
    publicUrl: undefined,
    origin: 'bench.example',
    random: Math.random,
  });
  notifying.start();
  const { row } = await notifying.add({
    space: 'x',
    name: 'fast',
    url,
    filter: '',
    headers: {},
    payload: undefined,
    batch: 1,
    handshake: false,
  });
  const many = Array.from({ length: MANY }, (_, i) =>
    notifying.add({ space: 'y', name: `many ${i}`, url, filter: '', headers: {}, payload: undefined, batch: 1, handshake: false }),
  );
  await Promise.all(many);
  const body = JSON.stringify({ text: 'x'.repeat(900) });
  return [
    {
      name: `events: ${EVENTS} notifications to one consumer (read, filtered, signed, sent, written), against autocannon's requests to it`,
      unit: 'a second',
      ours: async () => {
        const before = store.subscriptions.counts(row.id).delivered;
        const fresh = store.subscriptions.find('x', row.id);
        const from = performance.now();
        await notifying.replay(fresh, 0);
        const end = store.events.last();
        while (store.subscriptions.find('x', row.id).cursor < end) await new Promise((done) => setTimeout(done, 5));
        if (store.subscriptions.counts(row.id).delivered < Math.max(before, EVENTS)) throw new Error('Something did not arrive.');
        return (EVENTS * 1000) / (performance.now() - from);
      },
      baseline: async () => {
        const result = await autocannon({ url, method: 'POST', connections: 16, amount: EVENTS, body });
        return (EVENTS * 1000) / (result.duration * 1000);
      },
    },
    {
      name: `events: ${MANY} subscriptions, ${EACH} new events each, against the one that had all of them`,
      unit: 'a second',
      ours: async () => {
        const stopped = (await Promise.all(many)).map(({ row: { id } }) => store.subscriptions.find('y', id));
        const from = performance.now();
        const before = store.events.last();
        await historyRows(store, { messages: EACH / 2, from: Date.now() - 60_000, to: Date.now(), space: 'y' });
        feed.reported?.();
        const end = store.events.last();
        if (end === before) throw new Error('Nothing has happened.');
        while (stopped.some(({ id }) => store.subscriptions.find('y', id).cursor < end)) await new Promise((done) => setTimeout(done, 5));
        return (MANY * EACH * 1000) / (performance.now() - from);
      },
      close: async () => {
        await notifying.stop();
        child.kill();
      },
    },
  ];
}
