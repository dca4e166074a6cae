// What continuous copies cost: the same service with a folder to copy to, against itself without one. Processor time of the service's process for
// each email, accepted and sent; and how many emails a second leave.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folder, root, started } from './support/processes.mjs';
import { dispatchRate } from './support/rates.mjs';
import { startSink } from './support/sink.mjs';

const MAILS = 1500;
const OPERATOR = 'operator-of-the-benchmark';
/** Clock ticks a second, by which Linux counts processor time. */
const TICKS = 100;

/** Processor time of a process so far, in milliseconds: its own and the system's for it (proc(5), stat, fields 14 and 15). */
function cpuMs(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ');
  return ((Number(fields[11]) + Number(fields[12])) * 1000) / TICKS;
}

async function serviceOf(sink, createClient, more) {
  const path = folder();
  const file = join(path, 'verbalis.yaml');
  writeFileSync(
    file,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\ndns: { check: false }\n${more(path)}providers: { sink: { kind: smtp, host: 127.0.0.1, port: ${sink.port}, connections: 30, emailsPerConnection: 1000 } }\nspaces: { dock: { mode: deliver, mailFolder: ${join(root, 'demo/mail')}, route: [sink], senderDomains: [saltmarsh-ferries.example], runaway: false } }\n`,
  );
  const service = await started(join(root, 'packages/cli/bin/verbalis.js'), ['serve', '--json', '--config', file], {
    VERBALIS_OPERATOR_SECRET: OPERATOR,
  });
  const client = createClient({ url: service.said.url, key: OPERATOR, space: 'dock' });
  return { ...service, client };
}

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const sink = await startSink();
  const copying = await serviceOf(sink, createClient, (path) => `copies: { folder: ${join(path, 'copies')} }\n`);
  const alone = await serviceOf(sink, createClient, () => '');
  const cpu = async ({ client, pid }) => {
    const before = cpuMs(pid);
    await dispatchRate(client, MAILS);
    return ((cpuMs(pid) - before) * 1000) / MAILS;
  };
  const close = async () => {
    copying.stop();
    alone.stop();
    sink.stop();
  };
  const name = `copies: ${MAILS} emails accepted and sent with continuous copies, against the same without`;
  return [
    {
      name: `${name}: processor time`,
      unit: 'µs an email',
      ours: () => cpu(copying),
      baseline: () => cpu(alone),
      close: async () => undefined,
    },
    {
      name: `${name}: rate of sending`,
      unit: 'emails/s',
      ours: () => dispatchRate(copying.client, MAILS),
      baseline: () => dispatchRate(alone.client, MAILS),
      close,
    },
  ];
}
