// How long accepting takes while the queue runs: messages come at a steady rate, and each is sent to smtp-sink meanwhile; against a bare Express
// handler with one insert at the same rate. 50th, 99th and 99.9th percentile, in milliseconds.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import autocannon from 'autocannon';
import { folder, root, started } from './support/processes.mjs';
import { startSink } from './support/sink.mjs';

const OPERATOR = 'operator-of-the-benchmark';
const RATE = Number(process.env.RATE ?? 150);
const SECONDS = 20;

/** Percentiles of the answers to requests that come at a steady rate. */
async function percentiles(url, key) {
  const data = JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
  const request = {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...(key === undefined ? {} : { authorization: `Bearer ${key}` }) },
    body: JSON.stringify({ template: 'refund-receipt', to: ['guest@post.example'], data }),
  };
  const address = `${url}/v1/messages`;
  const first = await fetch(address, request);
  if (!first.ok) throw new Error(await first.text());
  const { latency, non2xx, errors } = await autocannon({
    url: address,
    connections: 20,
    overallRate: RATE,
    duration: SECONDS,
    ...request,
  });
  if (non2xx > 0 || errors > 0) throw new Error(`${non2xx} refusals, ${errors} errors`);
  return latency;
}

export const runs = 3;

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const path = folder();
  const sink = await startSink();
  const file = join(path, 'verbalis.yaml');
  writeFileSync(
    file,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\ndns: { check: false }\nproviders: { sink: { kind: smtp, host: 127.0.0.1, port: ${sink.port}, connections: 10, emailsPerConnection: 1000 } }\nspaces: { dock: { mode: deliver, mailFolder: ${join(root, 'demo/mail')}, route: [sink], senderDomains: [saltmarsh-ferries.example], runaway: false } }\n`,
  );
  const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', file], {
    VERBALIS_OPERATOR_SECRET: OPERATOR,
  });
  const client = createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  await client.domains.add({ name: 'saltmarsh-ferries.example', algorithms: ['ed25519-sha256'] });
  const { key } = await client.keys.add({ name: 'bench', scopes: ['send'] });
  const bare = await started(join(root, 'bench/support/bare-insert.mjs'), [join(path, 'bare.sqlite')]);
  // One look for all three: the same twenty seconds.
  let [mine, theirs] = [undefined, undefined];
  return ['p50', 'p99', 'p99_9'].map((name, i, all) => ({
    name: `latency: ${name.replace('_', '.')} of accepting ${RATE} messages a second that are sent meanwhile`,
    unit: 'ms',
    ours: async () => {
      if (i === 0) mine = await percentiles(service.said.url, key);
      return mine[name];
    },
    baseline: async () => {
      if (i === 0) theirs = await percentiles(bare.said.url);
      return theirs[name];
    },
    close: async () => {
      if (i < all.length - 1) return;
      service.stop();
      bare.stop();
      sink.stop();
    },
  }));
}
