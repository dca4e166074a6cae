// What a person asks of a file with a million deliveries (DELIVERIES=10000000: ten), over the API: search by whatever they have in hand, lists and
// events with every filter, one message.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, root, started } from './support/processes.mjs';
import { manyRows } from './support/many-rows.mjs';

const DELIVERIES = Number(process.env.DELIVERIES ?? 1_000_000);
const ASKED = 60;
const DOMAINS = ['post.example', 'fjordpost.example', 'harbourmail.example', 'mail.test', 'letterbox.example'];
const TEMPLATES = ['booking-confirmed', 'sign-in-code', 'boarding-reminder', 'refund-receipt'];
const OPERATOR = 'operator-of-the-benchmark';
const DAY = 86_400_000;

export const runs = 1;

export default async function bench() {
  const { openStore } = await import(join(root, 'packages/service/dist/records/index.js'));
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const path = folder();
  const database = join(path, 'verbalis.sqlite');
  const file = join(path, 'verbalis.yaml');
  const { SYSTEM_CLOCK } = await import(join(root, 'packages/service/dist/kernel/index.js'));
  writeFileSync(
    file,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\nspaces: { dock: { mode: capture, mailFolder: ${join(root, 'demo/mail')} } }\n`,
  );
  const serve = () =>
    started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', file], { VERBALIS_OPERATOR_SECRET: OPERATOR });
  // The first start makes the secrets that belong to the file.
  const first = await serve();
  first.end();
  await first.ended;
  const from = performance.now();
  const open = (path) => openStore(path, { log: { info() {}, warn() {}, error: console.error }, clock: SYSTEM_CLOCK });
  await manyRows(database, open, { messages: DELIVERIES, from: Date.now() - 90 * DAY, to: Date.now() - 60_000, space: 'dock' });
  console.error(`${DELIVERIES} deliveries written in ${Math.round((performance.now() - from) / 1000)} s`);
  const service = await serve();
  const client = createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  const { messages } = await client.messages.list({ limit: 200 });
  const address = (i) => `guest${(i * 3571) % 250_000}@${DOMAINS[((i * 3571) % 250_000) % DOMAINS.length]}`;
  const template = (i) => TEMPLATES[i % TEMPLATES.length];
  const reference = (i) => `SM-${(i * 357_113) % DELIVERIES}`;
  const day = (i) => ({ from: new Date(Date.now() - (i + 1) * DAY).toISOString(), to: new Date(Date.now() - i * DAY).toISOString() });
  const ask = {
    'search by address': (i) => client.search.find({ q: address(i) }),
    'search by the start of an address': (i) => client.search.find({ q: `guest${(i * 3571) % 250_000}@` }),
    'search by reference': (i) => client.search.find({ q: reference(i) }),
    'search by domain': (i) => client.search.find({ q: DOMAINS[i % DOMAINS.length] }),
    'search by cause': () => client.search.find({ q: 'mailbox-full' }),
    'search by code': () => client.search.find({ q: '5.2.2' }),
    'search by words': (i) => client.search.find({ q: ['Booking', 'pier', 'ticket'][i % 3] }),
    'list of failed': () => client.messages.list({ state: 'failed' }),
    'list by template': (i) => client.messages.list({ template: template(i) }),
    'list by address': (i) => client.messages.list({ address: address(i) }),
    'list by reference': (i) => client.messages.list({ reference: reference(i) }),
    'list by template and state': (i) => client.messages.list({ template: template(i), state: 'failed' }),
    'list by address and state': (i) => client.messages.list({ address: address(i), state: 'failed' }),
    'list by address and template': (i) => client.messages.list({ address: address(i), template: template(i) }),
    'list of a day, delivered': (i) => client.messages.list({ state: 'delivered', ...day(i) }),
    'list of a day by template and state': (i) => client.messages.list({ template: template(i), state: 'failed', ...day(i) }),
    'list with every filter': (i) => client.messages.list({ template: template(i), state: 'failed', address: address(i), ...day(i) }),
    'one message': (i) => client.messages.get(messages[i % messages.length].id),
    'events of a type': () => client.events.list({ filter: 'type = failed' }),
    'events of a type that never was': () => client.events.list({ filter: 'type = complained' }),
    'events by domain': (i) => client.events.list({ filter: `domain = "${DOMAINS[i % DOMAINS.length]}"` }),
    'events by type and template': (i) => client.events.list({ filter: `type = failed and template = "${template(i)}"` }),
    'events by reference': (i) => client.events.list({ filter: `reference = "${reference(i)}"` }),
    'events by words of the diagnostic': () => client.events.list({ filter: 'diagnostic contains "quota"' }),
  };
  return Object.entries(ask).map(([what, run], n) => ({
    name: `tracking, ${DELIVERIES} deliveries: ${what}, 95th percentile of ${ASKED}`,
    unit: 'ms',
    ours: async () => {
      const took = [];
      for (let i = 0; i < ASKED; i += 1) {
        const start = performance.now();
        await run(i);
        took.push(performance.now() - start);
      }
      return took.sort((a, b) => a - b)[Math.floor(ASKED * 0.95)];
    },
    close: async () => {
      if (n === Object.keys(ask).length - 1) service.stop();
    },
  }));
}
