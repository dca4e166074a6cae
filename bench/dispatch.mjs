// From the queue to smtp-sink: claim, render, MIME, DKIM (Ed25519), SMTP, record, by a service with two processes; against Postfix's
// smtp-source with the same sink, which does the SMTP alone: as it is (a connection for each mail), and told to keep its connections (-d).
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, root, started } from './support/processes.mjs';
import { dispatchRate } from './support/rates.mjs';
import { startSink } from './support/sink.mjs';

const MAILS = 3000;
const CONNECTIONS = 10;
const OPERATOR = 'operator-of-the-benchmark';

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const path = folder();
  const sink = await startSink();
  const file = join(path, 'verbalis.yaml');
  writeFileSync(
    file,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\ndns: { check: false }\nproviders: { sink: { kind: smtp, host: 127.0.0.1, port: ${sink.port}, connections: ${3 * CONNECTIONS}, emailsPerConnection: 1000 } }\nspaces: { dock: { mode: deliver, mailFolder: ${join(root, 'demo/mail')}, route: [sink], senderDomains: [saltmarsh-ferries.example], runaway: false } }\n`,
  );
  const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--workers', '2', '--config', file], {
    VERBALIS_OPERATOR_SECRET: OPERATOR,
  });
  const client = createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  await client.domains.add({ name: 'saltmarsh-ferries.example', algorithms: ['ed25519-sha256'] });
  const source = (kept) => {
    const from = performance.now();
    const args = ['-s', 2 * CONNECTIONS, '-m', MAILS, '-l', 10_000, '-f', 'a@host.example', '-t', 'b@host.example'].map(String);
    const { status, stderr } = spawnSync('/usr/sbin/smtp-source', [...kept, ...args, `inet:127.0.0.1:${sink.port}`]);
    if (status !== 0) throw new Error(String(stderr));
    return (MAILS * 1000) / (performance.now() - from);
  };
  const name = `dispatch: ${MAILS} emails from the queue to smtp-sink (render, MIME, DKIM by Ed25519, SMTP, record)`;
  const ours = () => dispatchRate(client, MAILS);
  const close = async () => {
    service.stop();
    sink.stop();
  };
  return [
    { name: `${name}, against smtp-source`, unit: 'emails/s', ours, baseline: () => source([]), close: async () => undefined },
    { name: `${name}, against smtp-source with connections that it keeps`, unit: 'emails/s', ours, baseline: () => source(['-d']), close },
  ];
}
