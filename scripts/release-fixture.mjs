// Makes the database of this version that later versions must be able to upgrade: node scripts/release-fixture.mjs VERSION
// Run once, when a version is released. What is in it went through the service itself: an edition, a key, messages in several states, a suppression,
// a domain with its keys, a subscription, an uploaded file, captured email.
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { root } from './steps.mjs';

const [version] = process.argv.slice(2);
if (!/^\d+\.\d+\.\d+$/.test(version ?? '')) {
  console.error('Which version? node scripts/release-fixture.mjs 0.1.0');
  process.exit(2);
}
const [{ startService }, { readConfig }, { createClient }, { startSmtpProvider }] = await Promise.all([
  import(join(root, 'packages/service/dist/app/index.js')),
  import(join(root, 'packages/service/dist/settings/index.js')),
  import(join(root, 'packages/client/dist/index.js')),
  import(join(root, 'packages/simulators/dist/index.js')),
]);
const folder = mkdtempSync(join(tmpdir(), 'verbalis-fixture-'));
const relay = await startSmtpProvider({
  name: 'relay',
  host: '127.0.0.1',
  port: 0,
  script: { 'refused@post.example': 'refuse' },
  returnsTo: { host: '127.0.0.1', port: 0 },
  reportAfterMs: 10,
  keepsMail: false,
});
const file = join(folder, 'verbalis.yaml');
writeFileSync(
  file,
  JSON.stringify({
    listen: { port: 0 },
    returns: { port: 0, domain: 'returns.saltmarsh-ferries.example' },
    log: { level: 'error' },
    dns: { check: false },
    providers: { relay: { kind: 'smtp', host: '127.0.0.1', port: relay.port } },
    spaces: {
      harbour: { mode: 'deliver', mailFolder: join(root, 'demo/mail'), route: ['relay'], senderDomains: ['saltmarsh-ferries.example'] },
      drydock: { mode: 'capture', mailFolder: join(root, 'demo/mail'), senderDomains: ['saltmarsh-ferries.example'] },
    },
  }),
);
const OPERATOR = 'the-operator-of-the-fixture';
const service = await startService({ config: readConfig(file, {}), operatorSecret: OPERATOR });
const [harbour, drydock] = ['harbour', 'drydock'].map((space) => createClient({ url: service.url, key: OPERATOR, space }));
const data = JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
const send = (client, to, more = {}) => client.messages.send({ template: 'refund-receipt', to: [to], data, ...more });

await harbour.domains.add({ name: 'saltmarsh-ferries.example' });
const { id: key } = await harbour.keys.add({ name: 'shop', scopes: ['send', 'read'] });
await harbour.suppressions.add({ address: 'left@post.example', note: 'asked by letter' });
await harbour.subscriptions.add({ url: 'http://127.0.0.1:9/events', filter: 'type = failed' }).catch(() => undefined);
const sent = [];
for (const [to, more] of [
  ['asa@post.example', { reference: 'SM-1042' }],
  ['refused@post.example', {}],
  ['left@post.example', {}],
  ['later@post.example', { notBefore: new Date(Date.now() + 300 * 86_400_000).toISOString() }],
])
  sent.push((await send(harbour, to, more)).id);
await send(drydock, 'nour@post.example');
const settled = async (id) => {
  for (;;) {
    const message = await harbour.messages.get(id);
    if (
      message.deliveries.every(
        ({ state, notBefore, nextAttemptAt }) => state !== 'queued' || notBefore !== undefined || nextAttemptAt === undefined,
      )
    )
      return message;
    await new Promise((done) => setTimeout(done, 50));
  }
};
const messages = [];
for (const id of sent.slice(0, 3)) messages.push(await settled(id));
messages.push(await harbour.messages.get(sent[3]));
const suppressions = harbour.suppressions.list().then((page) => page.suppressions.map(({ address }) => address));
await suppressions;
await service.stop();
await relay.close();

const out = join(root, 'tests/fixtures/releases', version);
mkdirSync(out, { recursive: true });
writeFileSync(join(out, 'verbalis.sqlite.gz'), gzipSync(readFileSync(join(folder, 'verbalis.sqlite')), { level: 9 }));
writeFileSync(join(out, 'verbalis.secrets.json'), readFileSync(join(folder, 'verbalis.secrets.json')));
writeFileSync(
  join(out, 'expected.json'),
  `${JSON.stringify(
    {
      at: new Date().toISOString(),
      // How many changes of the layout it has had.
      layouts: JSON.parse(readFileSync(join(root, 'packages/service/drizzle/meta/_journal.json'), 'utf8')).entries.length,
      key,
      edition: messages[0].edition,
      suppressed: (await suppressions).sort(),
      captured: ['nour@post.example'],
      messages: messages.map(({ id, subject, reference, deliveries }) => ({
        id,
        subject,
        reference,
        deliveries: deliveries.map(({ id: delivery, address, state, cause }) => ({ id: delivery, address, state, cause })),
      })),
    },
    null,
    2,
  )}\n`,
);
rmSync(folder, { recursive: true });
console.log(`${out} is made. Commit it; it is never made again.`);
