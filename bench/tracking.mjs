// What a person asks of a file with a million deliveries, over the API: search by address, lists with filters, one message, figures of 90 days.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, root, started } from './support/processes.mjs';
import { historyRows } from './support/rows.mjs';

const DELIVERIES = Number(process.env.DELIVERIES ?? 1_000_000);
const ASKED = 60;
const OPERATOR = 'operator-of-the-benchmark';
const DAY = 86_400_000;

export const runs = 1;

export default async function bench() {
  const { openStore } = await import(join(root, 'packages/service/dist/records/index.js'));
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const path = folder();
  const database = join(path, 'verbalis.sqlite');
  const { SYSTEM_CLOCK } = await import(join(root, 'packages/service/dist/kernel/index.js'));
  const store = await openStore(database, { log: { info() {}, warn() {}, error: console.error }, clock: SYSTEM_CLOCK });
  const from = performance.now();
  await historyRows(store, { messages: DELIVERIES, from: Date.now() - 90 * DAY, to: Date.now() - 60_000, space: 'dock', step: 2000 });
  await store.close();
  console.error(`${DELIVERIES} deliveries written in ${Math.round((performance.now() - from) / 1000)} s`);
  const file = join(path, 'verbalis.yaml');
  writeFileSync(
    file,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\nspaces: { dock: { mode: capture, mailFolder: ${join(root, 'demo/mail')} } }\n`,
  );
  const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', file], {
    VERBALIS_OPERATOR_SECRET: OPERATOR,
  });
  const client = createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  const counting = performance.now();
  while ((await client.figures.get({ from: new Date(Date.now() - 91 * DAY).toISOString() })).total.created < DELIVERIES)
    await new Promise((done) => setTimeout(done, 1000));
  console.error(`figures had counted them all after ${Math.round((performance.now() - counting) / 1000)} s`);
  const { messages } = await client.messages.list({ limit: 200 });
  const guest = (i) => `guest${(i * 3571) % 250_000}@`;
  const ask = {
    'search by address': (i) => client.search.find({ q: guest(i) }),
    'search by reference': (i) => client.search.find({ q: `SM-${(i * 3571) % DELIVERIES}` }),
    'list of failed': () => client.messages.list({ state: 'failed' }),
    'list by address': (i) =>
      client.messages.list({
        address: messages[i % messages.length].to?.[0]?.address ?? messages[i % messages.length].deliveries[0].address,
      }),
    'list of a day, delivered': (i) =>
      client.messages.list({
        state: 'delivered',
        from: new Date(Date.now() - (i + 1) * DAY).toISOString(),
        to: new Date(Date.now() - i * DAY).toISOString(),
      }),
    'one message': (i) => client.messages.get(messages[i % messages.length].id),
    'figures of 90 days by domain': () => client.figures.get({ from: new Date(Date.now() - 90 * DAY).toISOString(), by: 'domain' }),
    'events with a filter': () => client.events.list({ filter: 'type = failed' }),
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
