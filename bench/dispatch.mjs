// From the queue to smtp-sink: claim, render, MIME, DKIM (RSA-2048 and Ed25519), SMTP, record; against Postfix's smtp-source with the same
// sink, which does the SMTP alone.
import { spawn, spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { createConnection, createServer } from 'node:net';
import { join } from 'node:path';
import { folder, root } from './support/processes.mjs';

const MAILS = 1500;
const CONNECTIONS = 10;

async function freePort() {
  const server = createServer();
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address();
  await new Promise((done) => server.close(done));
  return port;
}

export default async function bench() {
  const { startService } = await import(join(root, 'packages/service/dist/main.js'));
  const { readConfig } = await import(join(root, 'packages/service/dist/config/index.js'));
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
  const service = await startService({ config: readConfig(file, {}), operatorSecret: 'bench' });
  const client = createClient({ url: service.url, key: 'bench', space: 'dock' });
  await client.domains.add('saltmarsh-ferries.example');
  const [booking] = JSON.parse(readFileSync(join(root, 'demo/bookings.json'), 'utf8'));
  const chunk = Array.from({ length: 500 }, (_, i) => ({ ...booking, to: [`guest${i}@post.example`] }));
  return [
    {
      name: `dispatch: ${MAILS} mails from the queue to smtp-sink (render, MIME, DKIM, SMTP, record), against smtp-source`,
      unit: 'mails/s',
      ours: async () => {
        await client.providers.pause('sink');
        for (let i = 0; i < MAILS; i += chunk.length) await client.messages.sendBatch({ mode: 'all', messages: chunk });
        await client.providers.resume('sink');
        while ((await client.queue()).waiting === MAILS) await new Promise((done) => setTimeout(done, 5));
        const from = performance.now();
        const left = (await client.queue()).waiting;
        while ((await client.queue()).waiting > 0) await new Promise((done) => setTimeout(done, 20));
        return (left * 1000) / (performance.now() - from);
      },
      baseline: () => {
        const from = performance.now();
        const args = ['-d', '-s', String(CONNECTIONS), '-m', String(MAILS), '-l', '10000', '-f', 'a@host.example', '-t', 'b@host.example'];
        const { status, stderr } = spawnSync('/usr/sbin/smtp-source', [...args, `inet:127.0.0.1:${sinkPort}`]);
        if (status !== 0) throw new Error(String(stderr));
        return (MAILS * 1000) / (performance.now() - from);
      },
      close: async () => {
        await service.stop();
        sink.kill();
      },
    },
  ];
}
