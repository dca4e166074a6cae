// How fast messages are accepted over HTTP, durably: POST /v1/messages (key, schema, data schema, a rendering, idempotency key, fsync)
// against a bare Express handler with one insert, also with synchronous=FULL.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import autocannon from 'autocannon';
import { folder, root, started } from './support/processes.mjs';

const OPERATOR = 'operator-of-the-benchmark';
const SECONDS = 3;
const CONNECTIONS = 50;

async function rate(url, headers) {
  const [body] = JSON.parse(readFileSync(join(root, 'demo/bookings.json'), 'utf8'));
  const result = await autocannon({
    url: `${url}/v1/messages`,
    method: 'POST',
    connections: CONNECTIONS,
    duration: SECONDS,
    headers: { 'content-type': 'application/json', ...headers },
    // For an hour from now: what is measured is accepting, not what comes after it.
    body: JSON.stringify({ ...body, notBefore: new Date(Date.now() + 3_600_000).toISOString() }),
  });
  if (result.non2xx > 0 || result.errors > 0) throw new Error(`${result.non2xx} refusals, ${result.errors} errors`);
  return result.requests.average;
}

export default async function bench() {
  const path = folder();
  const config = join(path, 'verbalis.yaml');
  writeFileSync(
    config,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\nspaces: { dock: { mode: capture, mailFolder: ${join(root, 'demo/mail')} } }\n`,
  );
  const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', config], {
    VERBALIS_OPERATOR_SECRET: OPERATOR,
  });
  const bare = await started(join(root, 'bench/support/bare-insert.mjs'), [join(path, 'bare.sqlite')]);
  return [
    {
      name: 'accept',
      unit: 'requests/s',
      ours: () => rate(service.said.url, { authorization: `Bearer ${OPERATOR}` }),
      baseline: () => rate(bare.said.url, {}),
      close: () => {
        service.stop();
        bare.stop();
      },
    },
  ];
}
