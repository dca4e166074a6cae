// From the queue to smtp-sink: claim, render, MIME, DKIM (Ed25519), SMTP, record, by a service with two processes; against Postfix's
// smtp-source with the same sink, which does the SMTP alone.
import { spawn, spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { createConnection, createServer } from 'node:net';
import { join } from 'node:path';
import { folder, root, started } from './support/processes.mjs';

const MAILS = 3000;
const CONNECTIONS = 5;
const OPERATOR = 'operator-of-the-benchmark';

async function freePort() {
  const server = createServer();
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address();
  await new Promise((done) => server.close(done));
  return port;
}

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const path = folder();
  const sinkPort = await freePort();
  const sink = spawn('/usr/sbin/smtp-sink', ['-u', 'postfix', `127.0.0.1:${sinkPort}`, '200'], { stdio: 'ignore' });
  for (let up = false; !up;) {
    up = await new Promise((done) =>
      createConnection(sinkPort, '127.0.0.1')
        .on('connect', function () {
          this.destroy();
          done(true);
        })
        .on('error', () => setTimeout(() => done(false), 50)),
    );
  }
  const file = join(path, 'verbalis.yaml');
  writeFileSync(
    file,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\ndispatch: { concurrency: 40 }\nproviders: { sink: { kind: smtp, host: 127.0.0.1, port: ${sinkPort}, connections: ${CONNECTIONS}, mailsPerConnection: 1000 } }\nspaces: { dock: { mode: deliver, mailFolder: ${join(root, 'demo/mail')}, route: [sink] } }\n`,
  );
  const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--workers', '2', '--config', file], {
    VERBALIS_OPERATOR_SECRET: OPERATOR,
  });
  const client = createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  await client.domains.add('saltmarsh-ferries.example', ['ed25519-sha256']);
  const data = JSON.parse(readFileSync(join(root, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
  const chunk = Array.from({ length: 500 }, (_, i) => ({ template: 'refund-receipt', to: [`guest${i}@post.example`], data }));
  return [
    {
      name: `dispatch: ${MAILS} mails from the queue to smtp-sink (render, MIME, DKIM by Ed25519, SMTP, record), against smtp-source`,
      unit: 'mails/s',
      ours: async () => {
        await client.providers.pause('sink');
        for (let i = 0; i < MAILS; i += chunk.length) await client.messages.sendBatch({ mode: 'all', messages: chunk });
        await client.providers.resume('sink');
        while ((await client.queue()).waiting === MAILS) await new Promise((done) => setTimeout(done, 5));
        const from = performance.now();
        const left = (await client.queue()).waiting;
        while ((await client.queue()).waiting > 0) await new Promise((done) => setTimeout(done, 100));
        return (left * 1000) / (performance.now() - from);
      },
      baseline: () => {
        const from = performance.now();
        const args = [
          '-d',
          '-s',
          String(2 * CONNECTIONS),
          '-m',
          String(MAILS),
          '-l',
          '10000',
          '-f',
          'a@host.example',
          '-t',
          'b@host.example',
        ];
        const { status, stderr } = spawnSync('/usr/sbin/smtp-source', [...args, `inet:127.0.0.1:${sinkPort}`]);
        if (status !== 0) throw new Error(String(stderr));
        return (MAILS * 1000) / (performance.now() - from);
      },
      close: async () => {
        service.stop();
        sink.kill();
      },
    },
  ];
}
