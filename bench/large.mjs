// What a million finished messages in the file cost: accepting, and the way from the queue to smtp-sink, against the same with an empty
// file; and how much memory a service with 200,000 queued deliveries takes.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { acceptRate, dispatchRate } from './support/rates.mjs';
import { folder, root, started } from './support/processes.mjs';
import { startSink } from './support/sink.mjs';

export const runs = 3;
const FINISHED = 1_000_000;
const QUEUED = 200_000;
const OPERATOR = 'operator-of-the-benchmark';
const MAILS = 2000;

/** Rows as the service leaves them behind, straight into the tables: through the service it would take an hour. */
function fill(file, count, { queued }) {
  const db = new Sqlite(file);
  db.pragma('synchronous = OFF');
  const sample = JSON.stringify(JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8')));
  const from = Date.now() - 90 * 24 * 3_600_000;
  const step = Math.floor((80 * 24 * 3_600_000) / count);
  const numbers = `with recursive n(i) as (select 0 union all select i + 1 from n where i + 1 < ${count})`;
  // As the service makes them: a letter, ten places of a time, sixteen of whatever there is.
  const id = (kind) => `'${kind}01kbpz0000' || printf('%016d', i)`;
  const at = `${from} + i * ${step}`;
  db.transaction(() => {
    db.prepare(
      `insert into messages (id, space, edition, template, locale, topic, subject, sender, "to", more, labels, data, header_id, created_at)
       ${numbers} select ${id('m')}, 'dock', 1, 'refund-receipt', 'en', 'bookings', 'Your refund', '{"name":"x","address":"x@saltmarsh-ferries.example"}',
       '[{"name":"","address":"guest' || i || '@post.example"}]', '{}', '{}', ?, ${id('m')} || '@saltmarsh-ferries.example', ${at} from n`,
    ).run(sample);
    db.prepare(
      `insert into deliveries (id, message_id, space, address, state, attempts, created_at, next_attempt_at, fairness_key, domain, sender_domain, kept)
       ${numbers} select ${id('d')}, ${id('m')}, 'dock', 'guest' || i || '@post.example', ${queued ? "'queued'" : "'accepted'"}, ${queued ? 0 : 1}, ${at},
       ${queued ? at : 'null'}, '0/dock//bookings', 'post.example', 'saltmarsh-ferries.example', 0 from n`,
    ).run();
    if (!queued) {
      db.prepare(
        `insert into attempts (id, delivery_id, number, provider, started_at, ended_at, outcome, phase, reply_code, status, diagnostic)
         ${numbers} select ${id('a')}, ${id('d')}, 1, 'sink', ${at}, ${at} + 100, 'accepted', 'data', 250, '2.0.0', 'Ok' from n`,
      ).run();
      db.prepare(
        `insert into facts (id, delivery_id, kind, source, at, recorded_at, status, reply_code)
         ${numbers} select ${id('a')} || ':accepted', ${id('d')}, 'accepted', 'attempt', ${at} + 100, ${at} + 100, '2.0.0', 250 from n`,
      ).run();
    }
  })();
  db.close();
}

async function serviceOn(path, sinkPort) {
  const file = join(path, 'verbalis.yaml');
  writeFileSync(
    file,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\ndns: { check: false }\nproviders: { sink: { kind: smtp, host: 127.0.0.1, port: ${sinkPort}, emailsPerConnection: 1000 } }\nspaces: { dock: { mode: deliver, mailFolder: ${join(root, 'demo/mail')}, route: [sink], senderDomains: [saltmarsh-ferries.example], runaway: false } }\n`,
  );
  return started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', file], { VERBALIS_OPERATOR_SECRET: OPERATOR });
}

/** Made by the service itself, so that the tables are there to be filled. */
async function emptyFile(path, sinkPort) {
  const service = await serviceOn(path, sinkPort);
  service.end();
  await service.ended;
  return join(path, 'verbalis.sqlite');
}

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const sink = await startSink();
  const [full, empty, waiting] = [folder(), folder(), folder()];
  fill(await emptyFile(full, sink.port), FINISHED, { queued: false });
  const services = { full: await serviceOn(full, sink.port), empty: await serviceOn(empty, sink.port) };
  const of = (service) => createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  for (const service of Object.values(services))
    await of(service).domains.add({ name: 'saltmarsh-ferries.example', algorithms: ['ed25519-sha256'] });
  fill(await emptyFile(waiting, sink.port), QUEUED, { queued: true });
  let hasKey = false;
  return [
    {
      name: `large: accepting with ${FINISHED} finished messages, against an empty file`,
      unit: 'requests/s',
      ours: () => acceptRate(services.full.said.url, OPERATOR),
      baseline: () => acceptRate(services.empty.said.url, OPERATOR),
    },
    {
      name: `large: from the queue to smtp-sink with ${FINISHED} finished messages, against an empty file`,
      unit: 'emails/s',
      ours: () => dispatchRate(of(services.full), MAILS),
      baseline: () => dispatchRate(of(services.empty), MAILS),
      close: () => {
        for (const service of Object.values(services)) service.stop();
      },
    },
    {
      name: `large: resident memory while ${QUEUED} queued deliveries go out`,
      unit: 'MB',
      ours: async () => {
        const service = await serviceOn(waiting, sink.port);
        if (!hasKey) await of(service).domains.add({ name: 'saltmarsh-ferries.example', algorithms: ['ed25519-sha256'] });
        hasKey = true;
        let most = 0;
        for (let i = 0; i < 150; i += 1) {
          const kilobytes = /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${service.pid}/status`, 'utf8'))?.[1];
          most = Math.max(most, Number(kilobytes) / 1024);
          await new Promise((done) => setTimeout(done, 200));
        }
        service.stop();
        return most;
      },
      close: () => {
        sink.stop();
      },
    },
  ];
}
