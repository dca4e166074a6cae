// Handing 5,000 emails of 10 kB over on 10 connections, from memory, to Postfix's smtp-sink; against Postfix's smtp-source with the same.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { root } from './support/processes.mjs';
import { startSink } from './support/sink.mjs';

const MAILS = 5000;
const BYTES = 10_000;
const CONNECTIONS = 10;

export default async function bench() {
  const { smtpProvider } = await import(join(root, 'packages/service/dist/features/providers/index.js'));
  const { foreignMail } = await import(join(root, 'packages/core/dist/mime/index.js'));
  const sink = await startSink();
  const { port } = sink;
  const mail = foreignMail(Buffer.from(`Subject: x\r\n\r\n${`${'x'.repeat(78)}\r\n`.repeat(Math.ceil(BYTES / 80))}`));
  const envelope = { from: 'a@host.example', to: 'b@host.example' };
  const provider = smtpProvider('sink', {
    host: '127.0.0.1',
    port,
    helloName: 'bench.example',
    connections: CONNECTIONS,
    idleMs: 60_000,
    emailsPerConnection: 10_000,
  });
  return [
    {
      name: 'smtp: hand over 5,000 emails of 10 kB on 10 connections, against smtp-source',
      unit: 'emails/s',
      ours: async () => {
        const from = performance.now();
        let left = MAILS;
        await Promise.all(
          Array.from({ length: CONNECTIONS }, async () => {
            while (left > 0) {
              left -= 1;
              const outcome = await provider.hand({ envelope, mail });
              if (outcome.kind !== 'accepted') throw new Error(JSON.stringify(outcome));
            }
          }),
        );
        return (MAILS * 1000) / (performance.now() - from);
      },
      baseline: () => {
        const from = performance.now();
        // -d: connections are kept between emails, as ours are.
        const args = ['-d', '-s', String(CONNECTIONS), '-m', String(MAILS), '-l', String(BYTES), '-f', envelope.from, '-t', envelope.to];
        const { status, stderr } = spawnSync('/usr/sbin/smtp-source', [...args, `inet:127.0.0.1:${port}`]);
        if (status !== 0) throw new Error(String(stderr));
        return (MAILS * 1000) / (performance.now() - from);
      },
      close: () => {
        provider.close();
        sink.stop();
      },
    },
  ];
}
