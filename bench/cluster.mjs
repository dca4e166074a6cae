// What a cluster costs, and what it gives: accepting with every change stored by brokers first, against one service on its own; and the
// processor time of the primary for each email that delivery workers send, against that of a service that does all itself. All processes, the
// three brokers among them, share this machine: on machines of their own the ratios are better.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { OPERATOR, startCluster } from './support/cluster.mjs';
import { folder, root, started } from './support/processes.mjs';
import { acceptRate, dispatchRate } from './support/rates.mjs';
import { startSink } from './support/sink.mjs';

const EMAILS = 1000;
const CLI = join(root, 'packages/cli/bin/verbalis.js');
const MAIL = join(root, 'demo/mail');

/** Seconds of processor time of a process so far. */
function cpuOf(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ');
  return (Number(fields[11]) + Number(fields[12])) / 100;
}

async function keyOf(url) {
  const made = await fetch(`${url}/v1/keys`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', authorization: `Bearer ${OPERATOR}`, 'verbalis-space': 'dock' },
    body: JSON.stringify({ name: 'bench', scopes: ['send'] }),
  });
  return (await made.json()).key;
}

export const runs = 3;

export default async function bench() {
  const { createClient } = await import(join(root, 'packages/client/dist/index.js'));
  const sink = await startSink();
  const settings = `providers: { sink: { kind: smtp, host: 127.0.0.1, port: ${sink.port}, connections: 30, emailsPerConnection: 1000 } }\nspaces: { dock: { mode: deliver, mailFolder: ${MAIL}, route: [sink], senderDomains: [saltmarsh-ferries.example], runaway: false } }\n`;
  const path = folder();
  writeFileSync(
    join(path, 'verbalis.yaml'),
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: error }\ndns: { check: false }\n${settings}`,
  );
  const alone = await started(CLI, ['serve', '--json', '--config', join(path, 'verbalis.yaml')], { VERBALIS_OPERATOR_SECRET: OPERATOR });
  const cluster = await startCluster(settings);
  const [primary, standby] = [await cluster.serve('a'), await cluster.serve('b')];
  const clientOf = ({ said: { url } }) => createClient({ url, key: OPERATOR, space: 'dock' });
  const [own, shared] = [clientOf(alone), clientOf(primary)];
  for (const client of [own, shared]) await client.domains.add({ name: 'saltmarsh-ferries.example', algorithms: ['ed25519-sha256'] });
  const keys = [await keyOf(alone.said.url), await keyOf(primary.said.url)];
  const lag = async () => {
    const { nodes } = await shared.cluster.get();
    return nodes.find(({ role }) => role === 'standby')?.lagSeconds;
  };
  const workers = [];
  const withWorkers = async (count) => {
    while (workers.length < count) workers.push(await cluster.deliver());
    while (((await shared.cluster.get()).workers ?? []).length < count) await new Promise((done) => setTimeout(done, 100));
  };
  /** Microseconds of a process for each email; says where the rest of the time went. */
  const cost = async (client, pid, others = {}) => {
    const times = () => [cpuOf(pid), ...Object.values(others).map((pids) => pids.reduce((sum, one) => sum + cpuOf(one), 0))];
    // Accepting them does not count.
    let before = [];
    const rate = await dispatchRate(client, EMAILS, () => (before = times()));
    const after = times();
    const each = after.map((one, i) => Math.round(((one - before[i]) * 1e6) / EMAILS));
    console.error(
      `  ${Math.round(rate)} emails/s; µs of each email: itself ${each[0]}${Object.keys(others)
        .map((name, i) => `, ${name} ${each[i + 1]}`)
        .join('')}`,
    );
    return each[0];
  };
  const roles = () => ({ workers: workers.map(({ pid }) => pid), standby: [standby.pid], brokers: cluster.brokers.pids });
  const share = (count) => ({
    name: `cluster: processor time of the primary for each email, ${count === 0 ? 'without delivery workers' : `with ${count} delivery ${count === 1 ? 'worker' : 'workers'}`}`,
    unit: 'µs',
    ours: async () => {
      await withWorkers(count);
      return cost(shared, primary.pid, roles());
    },
    baseline: () => cost(own, alone.pid),
  });
  return [
    {
      name: 'cluster: accepted messages',
      unit: 'requests/s',
      ours: async () => {
        const rate = await acceptRate(primary.said.url, keys[1]);
        console.error(`  lag of the standby right after: ${await lag()} s`);
        return rate;
      },
      baseline: () => acceptRate(alone.said.url, keys[0]),
    },
    share(0),
    share(1),
    share(2),
    {
      ...share(4),
      close: () => {
        for (const one of [alone, primary, standby, ...workers, cluster.brokers, sink]) one.stop();
      },
    },
  ];
}
