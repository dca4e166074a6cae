import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { createClient } from '@verbalis/client';
import { makeFolder } from '../out-file.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { freePort, offering, settled, STARTER, wait } from './prove-offers.js';
import { reconcile, type ProofReport } from './prove-report.js';
import { openWorld, type World } from './prove-world.js';

export interface ProveOptions {
  readonly kills?: string;
  readonly workers?: string;
  readonly cluster?: boolean;
  readonly logs?: string;
  readonly json?: boolean;
}

const CLOCK = fileURLToPath(new URL('prove-clock.js', import.meta.url));
const CLI = fileURLToPath(new URL('../../bin/verbalis.js', import.meta.url));
const SECRET = 'the-operator-of-the-proof-run';
/** Messages that are offered between two kills, at least. */
const FOR_EACH_KILL = 25;
/** A kill comes so long after the last start, at most; a pause lasts so long, at most. In milliseconds. */
const [MOST_UNTIL_KILL, MOST_PAUSE] = [700, 1500];
/** Before one kill in so many the service stands still (SIGSTOP, SIGCONT), or its clock jumps. */
const [PAUSE_ONE_OF, JUMP_ONE_OF] = [5, 4];
/** How far the clock jumps from that of the machine, at most, in milliseconds. */
const MOST_JUMP = 20 * 3_600_000;
/** A service in a process of its own, that is killed and started again on the same file. */
class Subject {
  readonly #clockFile: string;
  #child: ChildProcess | undefined;

  constructor(
    private readonly folder: string,
    private readonly workers: number,
  ) {
    this.#clockFile = join(folder, 'clock');
    this.setClock(0);
  }

  async start(): Promise<void> {
    const clock = pathToFileURL(CLOCK);
    clock.searchParams.set('file', this.#clockFile);
    const args = [
      '--import',
      clock.href,
      CLI,
      'serve',
      '--json',
      '--workers',
      String(this.workers),
      '--config',
      join(this.folder, 'verbalis.yaml'),
    ];
    const child = spawn(process.execPath, args, {
      cwd: this.folder,
      env: { PATH: process.env['PATH'], VERBALIS_OPERATOR_SECRET: SECRET },
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    this.#child = child;
    await new Promise((ready) => createInterface({ input: child.stdout }).once('line', ready));
  }

  async kill(): Promise<void> {
    const child = this.#child;
    if (child === undefined) return;
    const ended = new Promise((done) => child.once('exit', done));
    child.kill('SIGKILL');
    await ended;
  }

  /** Sets its clock to so much after that of the machine, in milliseconds; also while it is not there. */
  setClock(offsetMs: number): void {
    writeFileSync(this.#clockFile, String(Math.round(offsetMs)));
    this.#child?.kill('SIGUSR2');
  }

  /** The process stands still for a while, as on a machine that sleeps or swaps. */
  async pause(ms: number): Promise<void> {
    this.#child?.kill('SIGSTOP');
    await wait(ms);
    this.#child?.kill('SIGCONT');
  }
}

function configure(folder: string, { port, returnsPort }: { readonly port: number; readonly returnsPort: number }, world: World): void {
  const retry = '{ firstSeconds: 0.2, growth: 1, mostSeconds: 0.5 }';
  writeFileSync(
    join(folder, 'verbalis.yaml'),
    `listen: { port: ${port} }
returns: { port: ${returnsPort}, domain: returns.proof.example }
log: { level: error }
outside: { allow: [127.0.0.1] }
dispatch: { retry: ${retry}, retryByCause: { rate-or-greylist: ${retry}, unreachable: ${retry} } }
providers:
  relay: { kind: smtp, host: 127.0.0.1, port: ${world.smtpPort} }
  mute: { kind: smtp, host: 127.0.0.1, port: ${world.mutePort}, waits: { connectSeconds: 3, replySeconds: 3 } }
spaces:
  proof: { mode: deliver, mailFolder: ${STARTER}, senderDomains: [quillmere-library.example], route: [{ provider: relay, share: 9 }, { provider: mute, share: 1 }] }
`,
  );
}

async function run(kills: number, workers: number, output: Output): Promise<ProofReport> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-proof-'));
  const [port, returnsPort] = [await freePort(), await freePort()];
  const world = await openWorld({ host: '127.0.0.1', port: returnsPort });
  configure(folder, { port, returnsPort }, world);
  const client = createClient({ url: `http://127.0.0.1:${port}`, key: SECRET, space: 'proof', tries: 1 });
  const subject = new Subject(folder, workers);
  let [pauses, jumps] = [0, 0];
  try {
    await subject.start();
    for (const url of [world.hangingUrl, world.consumerUrl]) await client.subscriptions.add({ url, handshake: false });
    const offers = offering(() => client);
    for (let kill = 1; kill <= kills; kill += 1) {
      await wait(Math.random() * MOST_UNTIL_KILL);
      while (offers.offered.length < kill * FOR_EACH_KILL) await wait(5);
      if (kill % PAUSE_ONE_OF === 0) {
        pauses += 1;
        await subject.pause(Math.random() * MOST_PAUSE);
      }
      if (kill % JUMP_ONE_OF === 0) {
        jumps += 1;
        subject.setClock((Math.random() * 2 - 1) * MOST_JUMP);
        await wait(Math.random() * MOST_PAUSE);
      }
      await subject.kill();
      await subject.start();
      if (kill % 10 === 0) output.note(`${kill} of ${kills} kills, ${offers.offered.length} messages`);
    }
    subject.setClock(0);
    await offers.end();
    await settled(client, world);
    return await reconcile(client, world, offers.offered, { kills, pauses, jumps });
  } finally {
    await subject.kill();
    await world.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Proves the promises of delivery on this machine: kills a service under load, and holds what it says against what was received. */
export async function prove(options: ProveOptions, output: Output): Promise<ExitCode> {
  const kills = Number(options.kills ?? 20);
  const workers = Number(options.workers ?? 1);
  if (!Number.isInteger(kills) || kills < 0 || kills > 10_000) throw new UsageError(`"${options.kills ?? ''}" is not a number of kills.`);
  if (options.logs !== undefined && options.cluster !== true) throw new UsageError('--logs needs --cluster.');
  if (options.logs !== undefined) makeFolder(options.logs);
  const report =
    options.cluster === true
      ? await (await import('./prove-cluster.js')).proveCluster({ faults: kills, logs: options.logs }, output)
      : await run(kills, workers, output);
  if (options.json === true) output.json(report);
  else {
    const { ok, ...figures } = report;
    const rows = Object.entries(figures).map(([name, value]) => [name, String(value)]);
    output.out(tableText([{ title: 'what' }, { title: 'how many', right: true }], rows, output.color));
    output.out(ok ? output.color.green('Every promise was kept.') : output.color.red('A promise was broken.'));
  }
  return report.ok ? 0 : 1;
}
