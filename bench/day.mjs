// A day of load in simulated time, against simulators: emails of which some are deferred, returned or complained about, their notifications, their
// removal when they are old. How much the service holds at the end of the day that it did not hold at its beginning.
import { createServer } from 'node:http';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { folder, root } from './support/processes.mjs';

setFlagsFromString('--expose-gc');
const collect = runInNewContext('gc');

const OPERATOR = 'operator-of-the-benchmark';
const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const EVERY_MINUTES = 5;
/** In the time of one step. */
const EMAILS = Number(process.env.EMAILS ?? 60);
const RECIPIENTS = 2000;
const TAKEN = { code: 250, enhanced: '2.1.5', text: 'OK' };

export const runs = 1;

/** Most is delivered; of a hundred emails, five are deferred, three returned, one complained about. */
function behaviour(to, tries) {
  const n = Number(/\d+/.exec(to)[0]) % 100;
  if (n < 5 && tries % 2 === 1) return { answer: { code: 451, enhanced: '4.7.1', text: 'Greylisted, please come back later' } };
  if (n < 8)
    return { answer: TAKEN, later: { afterMs: 20 * MINUTE, what: 'delayed', status: '4.2.2', diagnostic: '452 4.2.2 mailbox full' } };
  if (n === 8) return { answer: TAKEN, later: { afterMs: 40 * MINUTE, what: 'failed', status: '5.7.1', diagnostic: '550 5.7.1 rejected' } };
  return { answer: TAKEN, later: { afterMs: 10 * MINUTE, what: 'delivered' } };
}

/** Memory that is in use after collecting garbage, three times since finalizers leave some of their own. In MB. */
async function held() {
  for (let i = 0; i < 3; i += 1) {
    collect();
    await new Promise((done) => setImmediate(done));
  }
  const { heapUsed, external, rss } = process.memoryUsage();
  return { heap: (heapUsed + external) / 2 ** 20, rss: rss / 2 ** 20 };
}

async function openWorld() {
  const from = (name, file = 'index.js') => import(join(root, 'packages', name, 'dist', file));
  const { createClient } = await from('client');
  const { startService } = await from('service', 'app/index.js');
  const { readConfig } = await from('service', 'settings/index.js');
  const { startSmtpProvider } = await from('simulators');
  const { movedClock } = await from('cli', 'demo/moved-clock.js');
  const clock = movedClock(Date.UTC(2026, 2, 2));
  const returnsTo = { host: '127.0.0.1', port: 0 };
  const relay = await startSmtpProvider({
    name: 'relay',
    host: '127.0.0.1',
    port: 0,
    script: {},
    behaviour,
    clock,
    returnsTo,
    reportAfterMs: 0,
  });
  const consumer = createServer((request, response) => request.resume().on('end', () => response.end()));
  await new Promise((done) => consumer.listen(0, '127.0.0.1', done));
  const file = join(folder(), 'verbalis.yaml');
  writeFileSync(
    file,
    `listen: { port: 0 }
returns: { port: 0, limits: { perMinute: 1000000 } }
log: { level: error }
dns: { check: false }
keep: { mailDays: 0.1, messageDays: 0.4, auditDays: 0.4 }
outside: { allow: [127.0.0.1] }
providers: { relay: { kind: smtp, host: 127.0.0.1, port: ${relay.port} } }
spaces: { dock: { mode: deliver, mailFolder: ${join(root, 'demo/mail')}, route: [relay], senderDomains: [saltmarsh-ferries.example], runaway: false } }
`,
  );
  const service = await startService({ config: readConfig(file, process.env), clock: clock.coarse(), operatorSecret: OPERATOR });
  returnsTo.port = service.returnsPort;
  clock.busy = () => {
    service.writeNow();
    return service.busy() || relay.busy();
  };
  const client = createClient({ url: service.url, key: OPERATOR, space: 'dock' });
  await client.domains.add({ name: 'saltmarsh-ferries.example', algorithms: ['ed25519-sha256'] });
  await client.subscriptions.add({ name: 'all', url: `http://127.0.0.1:${consumer.address().port}/`, handshake: false });
  return { clock, client, service };
}

export default async function bench() {
  const { clock, client, service } = await openWorld();
  const data = JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
  let n = 0;
  const hours = async (count) => {
    for (const end = clock.now() + count * HOUR; clock.now() < end;) {
      const messages = Array.from({ length: EMAILS }, () => ({
        template: 'refund-receipt',
        to: [`guest${(n += 1) % RECIPIENTS}@post.example`],
        data,
      }));
      const { results } = await client.messages.sendBatch({ mode: 'all', messages });
      if (results.length !== EMAILS) throw new Error('Not all were accepted.');
      await clock.moveTo(clock.now() + EVERY_MINUTES * MINUTE);
      if (clock.now() % (4 * HOUR) < EVERY_MINUTES * MINUTE) {
        const { heap, rss } = await held();
        console.error(
          `  ${new Date(clock.now()).toISOString().slice(5, 16)}: ${n} emails, heap ${heap.toFixed(1)} MB, resident ${rss.toFixed(0)} MB`,
        );
      }
    }
  };
  let growth;
  return ['heap', 'rss'].map((part, i) => ({
    name: `day: growth of ${part === 'heap' ? 'what JavaScript holds' : 'resident memory'} in a simulated day of ${(EMAILS * 24 * 60) / EVERY_MINUTES} emails`,
    unit: 'MB',
    ours: async () => {
      if (i > 0) return growth[part];
      const before = await held();
      await hours(24);
      const after = await held();
      growth = { heap: after.heap - before.heap, rss: after.rss - before.rss };
      return growth[part];
    },
    close: async () => {
      if (i > 0) await service.stop();
    },
  }));
}
