import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { RefusedError, UnreachableError, type Client, type NewMessage } from '@verbalis/client';
import { startSmtpProvider } from '@verbalis/simulators';
import { startLocalBrokers, wait } from '../cluster/brokers.js';
import { makeLocalCluster, primaryOf, SECRET, whole, type LocalCluster } from '../cluster/local.js';
import { INTERRUPTED, tableText, type ExitCode, type Output } from '../output.js';
import { interruption } from '../service/ending.js';
import { SOURCE } from './demo.js';

const EMAILS = 240;
const SPACE = 'harbour';
/** So many apps send at once. */
const APPS = 4;
/** How long everything may take to be sent after the last message was accepted. */
const SETTLE_MS = 120_000;

/** The service is unreachable, or does not accept requests at the moment. */
const isForAWhile = (error: unknown): boolean =>
  error instanceof UnreachableError || (error instanceof RefusedError && error.problem.status === 503);

/** Sends bookings to the primary, and repeats those that got no answer. */
function sendBookings(cluster: LocalCluster) {
  const [booking] = JSON.parse(readFileSync(join(SOURCE, 'bookings.json'), 'utf8')) as [NewMessage];
  const accepted: { readonly id: string; readonly address: string; readonly by: string; readonly at: number }[] = [];
  let at = 0;
  let next = 0;
  const one = async (n: number): Promise<void> => {
    const address = `passenger-${n}@post.example`;
    for (;;) {
      const node = cluster.nodes[at];
      try {
        if (node === undefined) return;
        const { id } = await node.client.messages.send({ ...booking, to: [address] }, { idempotencyKey: `demo-${n}` });
        accepted.push({ id, address, by: node.member.name, at: performance.now() });
        return;
      } catch (error) {
        if (!isForAWhile(error)) throw error;
        await wait(50);
        at = (await primaryOf(cluster)) ?? at;
      }
    }
  };
  const app = async (): Promise<void> => {
    while (next < EMAILS) await one((next += 1));
  };
  return {
    accepted,
    done: Promise.all(Array.from({ length: APPS }, app)),
    primary: (): Client => cluster.nodes[at]?.client ?? (cluster.nodes[0]?.client as Client),
  };
}

/** How many deliveries there are of each node's and worker's making, and what became uncertain. */
async function outcome(client: Client, ids: readonly string[]): Promise<{ readonly sent: number; readonly uncertain: number }> {
  let [sent, uncertain] = [0, 0];
  for (const id of ids) {
    const [delivery] = (await client.messages.get(id)).deliveries;
    if (delivery?.state === 'accepted' || delivery?.state === 'delivered') sent += 1;
    if (delivery?.attempts.some((attempt) => attempt.outcome === 'uncertain') === true) uncertain += 1;
  }
  return { sent, uncertain };
}

interface World {
  /** How often the provider took an email to an address. */
  readonly taken: (address: string) => number;
  /** Until another node accepted. */
  readonly seconds: number;
}

/** Waits until everything is sent, and shows what came of it. @returns how many were lost */
async function report(sending: ReturnType<typeof sendBookings>, { taken: takenBy, seconds }: World, output: Output): Promise<number> {
  const client = sending.primary();
  const end = Date.now() + SETTLE_MS;
  while ((await client.queue.get()).due > 0 && Date.now() < end) await wait(200);
  const found = await outcome(
    client,
    sending.accepted.map(({ id }) => id),
  );
  const taken = sending.accepted.map(({ address }) => takenBy(address));
  const lost = taken.filter((count) => count === 0).length;
  const byNode = new Map<string, number>();
  for (const { by } of sending.accepted) byNode.set(by, (byNode.get(by) ?? 0) + 1);
  const rows = [
    ...[...byNode].map(([name, count]) => [`accepted by ${name}`, String(count)]),
    ['emails that the provider took', String(taken.filter((count) => count > 0).length)],
    ['lost', String(lost)],
    ['taken twice', String(taken.filter((count) => count > 1).length)],
    ['uncertain: under way when the primary was killed', String(found.uncertain)],
    ['until another node accepted', `${seconds.toFixed(1)} s`],
  ];
  output.line(
    { accepted: Object.fromEntries(byNode), lost, uncertain: found.uncertain, takeOverSeconds: Math.round(seconds * 10) / 10 },
    `\n${tableText([{ title: 'what' }, { title: '', right: true }], rows, output.color)}`,
  );
  return lost;
}

/** Where to look at a cluster that goes on. */
async function whereToLook(cluster: LocalCluster, output: Output): Promise<void> {
  const at = await whole(cluster);
  const primary = cluster.nodes[at]?.client;
  if (primary === undefined) return;
  const { nodes } = await primary.cluster.get();
  const url = nodes.find(({ role }) => role === 'primary')?.url ?? '';
  const { url: link } = await primary.session.link();
  output.note(
    [
      '',
      output.color.bold('Where to look'),
      `  Console (this link opens it once, within 15 minutes):  ${output.color.cyan(link)}`,
      `    there Set up → Cluster: ${url}/in/${SPACE}/set-up/cluster`,
      '  On the command line, in another terminal:',
      `    export VERBALIS_URL=${url} VERBALIS_KEY=${SECRET} VERBALIS_SPACE=${SPACE}`,
      '    npx verbalis cluster status',
      '',
      'End with Ctrl+C.',
    ].join('\n'),
  );
}

/** Shows a cluster on this machine: its primary is killed, and its disk deleted, while bookings come in. */
export async function demoCluster({ stay = false }: { readonly stay?: boolean }, output: Output): Promise<ExitCode> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-demo-cluster-'));
  const provider = await startSmtpProvider({
    name: 'relay',
    host: '127.0.0.1',
    port: 0,
    script: {},
    returnsTo: { host: '127.0.0.1', port: 1 },
    reportAfterMs: 1000,
  });
  const brokers = await startLocalBrokers(folder);
  let cluster: LocalCluster = { nodes: [], workers: [] };
  let closing: Promise<void> | undefined;
  const close = (): Promise<void> =>
    (closing ??= (async () => {
      for (const worker of cluster.workers) await worker.end('SIGKILL');
      for (const { member } of cluster.nodes) await member.end('SIGKILL');
      await brokers.stop();
      await provider.close();
      rmSync(folder, { recursive: true, force: true });
    })());
  let isStaying = false;
  // Its processes do not outlive it.
  void interruption({})
    .then(close)
    .finally(() => process.exit(isStaying ? 0 : INTERRUPTED));
  try {
    output.note('Three brokers, two nodes and two delivery workers start on this machine.');
    cluster = await makeLocalCluster(folder, brokers, {
      space: SPACE,
      settings: () => `returns: { port: 0 }
providers: { relay: { kind: smtp, host: 127.0.0.1, port: ${provider.port} } }
spaces: { ${SPACE}: { mode: deliver, mailFolder: ${join(SOURCE, 'mail')}, senderDomains: [saltmarsh-ferries.example], route: [relay], runaway: false } }
`,
    });
    for (const { member } of cluster.nodes) await member.start();
    for (const worker of cluster.workers) await worker.start();
    const first = cluster.nodes[await whole(cluster)];
    if (first === undefined) throw new Error('There is no primary.');
    output.note(`${first.member.name} is the primary. ${EMAILS} bookings come in.`);
    const sending = sendBookings(cluster);
    while (sending.accepted.length < EMAILS / 3) await wait(20);
    await first.member.end('SIGKILL');
    first.member.loseDisk();
    const killed = performance.now();
    output.note(`${first.member.name} was killed after ${sending.accepted.length} bookings, and its database deleted.`);
    await sending.done;
    const next = sending.accepted.find(({ at, by }) => at > killed && by !== first.member.name);
    const seconds = next === undefined ? 0 : (next.at - killed) / 1000;
    output.note(`${next?.by ?? 'Nobody'} took over, and accepted the next booking after ${seconds.toFixed(1)} s.`);
    await first.member.start();
    await whole(cluster);
    output.note(`${first.member.name} is back as a standby, with a database made of the cluster's.`);
    const lost = await report(sending, { taken: (address) => provider.seen.get(address)?.taken ?? 0, seconds }, output);
    if (stay) {
      isStaying = true;
      await whereToLook(cluster, output);
      await new Promise(() => undefined);
    }
    return lost === 0 ? 0 : 1;
  } finally {
    await close();
  }
}
