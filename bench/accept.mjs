// How fast messages are accepted over HTTP, durably: POST /v1/messages (key, schema, data schema, a rendering, idempotency key, fsync)
// against a bare Express handler with one insert, also with synchronous=FULL.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { acceptRate } from './support/rates.mjs';
import { folder, root, started } from './support/processes.mjs';

const OPERATOR = 'operator-of-the-benchmark';

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
  // As an app: what a person sends has an entry in the audit log beside it.
  const made = await fetch(`${service.said.url}/v1/keys`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', authorization: `Bearer ${OPERATOR}` },
    body: JSON.stringify({ name: 'bench', scopes: ['send'] }),
  });
  const { key } = await made.json();
  const bare = await started(join(root, 'bench/support/bare-insert.mjs'), [join(path, 'bare.sqlite')]);
  return [
    {
      name: 'accept',
      unit: 'requests/s',
      ours: () => acceptRate(service.said.url, key),
      baseline: () => acceptRate(bare.said.url),
      close: () => {
        service.stop();
        bare.stop();
      },
    },
  ];
}
