// What is healthy, beside what is not: emails to domains that answer and the notifications of them, while a recipient domain is a tarpit, an
// HTTP provider of another space never answers, and eight consumers of events never answer; against the same without any of these.
import { fork } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, root, started } from './support/processes.mjs';

const EMAILS = 2000;
const TARPIT = 40;
const HANGING = 60;
const DEAD = 8;
const OPERATOR = 'operator-of-the-benchmark';

export const runs = 3;

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const world = fork(join(root, 'bench/support/world.mjs'));
  const next = () => new Promise((done) => world.once('message', done));
  const ports = await next();
  const counts = () => {
    world.send('counts');
    return next();
  };
  const path = folder();
  const file = join(path, 'verbalis.yaml');
  const space = (provider) =>
    `{ mode: deliver, mailFolder: ${join(root, 'demo/mail')}, route: [${provider}], senderDomains: [saltmarsh-ferries.example], runaway: false }`;
  writeFileSync(
    file,
    `listen: { port: 0 }
returns: { port: 0 }
log: { level: error }
outside: { allow: [127.0.0.1] }
providers:
  relay: { kind: smtp, host: 127.0.0.1, port: ${ports.relay}, connections: 10 }
  parcel: { kind: http, waitSeconds: 60, request: { url: 'http://127.0.0.1:${ports.mute}/', json: { to: '{{ message.recipient.address }}' } } }
spaces: { dock: ${space('relay')}, quay: ${space('parcel')} }
`,
  );
  const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', file], {
    VERBALIS_OPERATOR_SECRET: OPERATOR,
  });
  const of = (name) => createClient({ url: service.said.url, key: OPERATOR, space: name });
  const [dock, quay] = [of('dock'), of('quay')];
  const add = (name, port) => dock.subscriptions.add({ name, url: `http://127.0.0.1:${port}/`, handshake: false });
  await add('alive', ports.consumer);
  const dead = await Promise.all(Array.from({ length: DEAD }, (_, i) => add(`dead ${i}`, ports.mute)));
  const data = JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
  const send = async (client, n, domainOf) => {
    for (let at = 0; at < n; at += 500) {
      const messages = Array.from({ length: Math.min(500, n - at) }, (_, i) => ({
        template: 'refund-receipt',
        to: [`guest${at + i}@${domainOf(at + i)}`],
        data,
      }));
      await client.messages.sendBatch({ mode: 'all', messages });
    }
  };
  const rate = async (isBeside) => {
    // A pause waits for what is under way, and that ends at its time limit.
    await Promise.all(dead.map(({ id }) => (isBeside ? dock.subscriptions.resume(id) : dock.subscriptions.pause(id))));
    if (isBeside) {
      await send(dock, TARPIT, () => 'tarpit.example');
      await send(quay, HANGING, () => 'post.example');
      // What hangs has the connections that it can get.
      await new Promise((done) => setTimeout(done, 1000));
    }
    await dock.providers.pause('relay');
    await send(dock, EMAILS, (i) => `post${i % 20}.example`);
    const before = await counts();
    const from = performance.now();
    await dock.providers.resume('relay');
    for (let now = before; now.emails - before.emails < EMAILS || now.notifications - before.notifications < EMAILS;) {
      await new Promise((done) => setTimeout(done, 20));
      now = await counts();
    }
    const took = performance.now() - from;
    await dock.queue.cancel({ all: true });
    await quay.queue.cancel({ all: true });
    return (EMAILS * 1000) / took;
  };
  return [
    {
      name: `healthy: ${EMAILS} emails and their notifications beside a tarpit, a hanging provider and ${DEAD} dead consumers`,
      unit: 'emails/s',
      ours: () => rate(true),
      baseline: () => rate(false),
      close: async () => {
        service.stop();
        world.kill();
      },
    },
  ];
}
