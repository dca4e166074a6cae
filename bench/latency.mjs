// How long accepting takes while the queue runs: messages come at a steady rate, and each is sent to smtp-sink meanwhile; against a bare Express
// handler with one insert at the same rate. 50th, 99th and 99.9th percentile, in milliseconds.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, root, started } from './support/processes.mjs';
import { startSink } from './support/sink.mjs';

const OPERATOR = 'operator-of-the-benchmark';
const RATE = Number(process.env.RATE ?? 150);
const SECONDS = 20;

/** Percentiles of the answers to requests that come one by one at a steady rate, whether those before are answered or not. */
async function percentiles(url, key) {
  const data = JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
  const request = {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...(key === undefined ? {} : { authorization: `Bearer ${key}` }) },
    body: JSON.stringify({ template: 'refund-receipt', to: ['guest@post.example'], data }),
  };
  const took = [];
  const ask = async (due) => {
    const response = await fetch(`${url}/v1/messages`, request);
    const text = await response.text();
    if (!response.ok) throw new Error(text);
    took.push(performance.now() - due);
  };
  const from = performance.now();
  const asked = [];
  for (let i = 0; i < RATE * SECONDS; i += 1) {
    // What came too late counts from when it was due.
    const due = from + (i * 1000) / RATE;
    const wait = due - performance.now();
    if (wait > 0) await new Promise((done) => setTimeout(done, wait));
    asked.push(ask(due));
  }
  await Promise.all(asked);
  took.sort((a, b) => a - b);
  const at = (share) => took[Math.floor(took.length * share)];
  return { p50: at(0.5), p99: at(0.99), p99_9: at(0.999) };
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
