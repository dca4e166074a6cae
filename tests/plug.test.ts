import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { expect, test } from '@jest/globals';
import { createClient, RefusedError, UnreachableError } from '@verbalis/client';
import { startSmtpProvider } from '@verbalis/simulators';
import { LIMITS } from './support/limits.js';
import { freePort } from './support/postfix.js';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, temporaryFolder, until } from './support/service.js';

// The plug is pulled, at random moments and again and again: what was accepted must be there afterwards.
const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');
const ALL = process.env['CI'] !== undefined;

interface Plug {
  readonly messages: number;
  readonly kills: number;
  readonly workers: number;
}

async function pull({ messages, kills, workers }: Plug): Promise<void> {
  const { path, remove } = temporaryFolder();
  const port = await freePort();
  const tally = join(path, 'tally.jsonl');
  writeFileSync(tally, '');
  const simulator = await startSmtpProvider({
    name: 'relay',
    host: '127.0.0.1',
    port: 0,
    script: {},
    returnsTo: { host: '127.0.0.1', port: 1 },
    reportAfterMs: 50,
    tally,
  });
  const config = join(path, 'verbalis.yaml');
  writeFileSync(
    config,
    `listen: { port: ${port} }\nreturns: { port: 0 }\nlog: { level: fatal }
dispatch: { concurrency: 8, retry: { firstSeconds: 0.2, growth: 1, mostSeconds: 0.5 } }
providers: { relay: { kind: smtp, host: 127.0.0.1, port: ${simulator.port} } }
spaces: { harbour: { mode: deliver, mailFolder: ${DEMO_FOLDER}, route: [relay] } }\n`,
  );
  let child: ChildProcess | undefined;
  const serve = async (): Promise<void> => {
    const started = spawn(process.execPath, [CLI, 'serve', '--json', '--config', config, '--workers', String(workers)], {
      cwd: path,
      env: { PATH: process.env['PATH'], VERBALIS_OPERATOR_SECRET: OPERATOR },
      stdio: ['ignore', 'pipe', 'ignore'],
    });
    child = started;
    await new Promise((ready) => createInterface({ input: started.stdout }).once('line', ready));
  };
  const client = createClient({ url: `http://127.0.0.1:${port}`, key: OPERATOR, space: 'harbour', tries: 1 });
  const accepted = new Map<number, string>();
  const addressOf = (n: number): string => `guest${n}@post.example`;
  let next = 0;
  const offer = async (): Promise<void> => {
    for (let n = next++; n < messages; n = next++) {
      while (!accepted.has(n)) {
        try {
          accepted.set(n, (await client.messages.send(booking(addressOf(n)), { idempotencyKey: `plug-${n}` })).id);
        } catch (error) {
          if (!(error instanceof UnreachableError)) throw error;
          await new Promise((done) => setTimeout(done, 20));
        }
      }
    }
  };
  try {
    await serve();
    const offers = Promise.all([offer(), offer(), offer(), offer()]);
    for (let kill = 0; kill < kills; kill += 1) {
      await until(
        () => (accepted.size >= ((kill + 0.5 + Math.random() * 0.4) * messages) / (kills + 1) || next >= messages ? true : undefined),
        60_000,
      );
      child?.kill('SIGKILL');
      await serve();
    }
    await offers;
    await until(async () => ((await client.queue.get()).waiting === 0 ? true : undefined));
    const taken = new Map<string, number>();
    for (const line of readFileSync(tally, 'utf8').trim().split('\n')) {
      const { to } = JSON.parse(line) as { to: string };
      taken.set(to, (taken.get(to) ?? 0) + 1);
    }
    let duplicates = 0;
    let uncertain = 0;
    for (const [n, id] of accepted) {
      const count = taken.get(addressOf(n)) ?? 0;
      expect({ n, there: count >= 1 }).toEqual({ n, there: true });
      if (count === 1) continue;
      const [delivery] = (await client.messages.get(id)).deliveries;
      const doubtful = delivery!.attempts.filter((attempt) => attempt.outcome === 'uncertain').length;
      duplicates += count - 1;
      uncertain += doubtful;
      expect(count - 1).toBeLessThanOrEqual(doubtful);
    }
    expect(accepted.size).toBe(messages);
    process.stderr.write(
      `plug test: ${messages} messages, ${kills} kills (${workers} workers): all there, ${duplicates} duplicates, ${uncertain} uncertain attempts among them\n`,
    );
  } finally {
    child?.kill('SIGKILL');
    await simulator.close();
    remove();
  }
}

test(
  'the service is killed again and again while four clients send',
  () => pull({ messages: ALL ? 3000 : 200, kills: ALL ? 20 : 3, workers: 1 }),
  LIMITS.longTest,
);
test('the same with threads that hand over', () => pull({ messages: ALL ? 300 : 150, kills: 3, workers: 2 }), LIMITS.longTest);

test('a full disk: requests are refused clearly, nothing accepted is lost, and space that returns is used', async () => {
  const folder = temporaryFolder();
  const disk = join(folder.path, 'disk');
  mkdirSync(disk);
  const mounted = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=12m', 'tmpfs', disk]);
  if (mounted.status !== 0) throw new Error(`No small disk could be made (mount needs root): ${mounted.stderr.toString()}`);
  const simulator = await startSmtpProvider({
    name: 'relay',
    host: '127.0.0.1',
    port: 0,
    script: {},
    returnsTo: { host: '127.0.0.1', port: 1 },
    reportAfterMs: 50,
  });
  const config = join(folder.path, 'verbalis.yaml');
  writeFileSync(
    config,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: fatal }\ndatabaseFile: ${disk}/v.sqlite
dispatch: { retry: { firstSeconds: 0.2, growth: 1, mostSeconds: 0.5 } }
providers: { relay: { kind: smtp, host: 127.0.0.1, port: ${simulator.port} } }
spaces: { harbour: { mode: deliver, mailFolder: ${DEMO_FOLDER}, route: [relay] } }\n`,
  );
  const child = spawn(process.execPath, [CLI, 'serve', '--json', '--config', config], {
    cwd: folder.path,
    env: { PATH: process.env['PATH'], VERBALIS_OPERATOR_SECRET: OPERATOR },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  try {
    const line = await new Promise<string>((ready) => createInterface({ input: child.stdout }).once('line', ready));
    const client = createClient({ url: (JSON.parse(line) as { url: string }).url, key: OPERATOR, space: 'harbour', tries: 1 });
    const ids: string[] = [];
    writeFileSync(join(disk, 'ballast'), Buffer.alloc(6_000_000));
    let refused: unknown;
    for (let n = 0; n < 2000 && refused === undefined; n += 1) {
      try {
        ids.push((await client.messages.send(booking(`guest${n}@post.example`))).id);
      } catch (error) {
        refused = error;
      }
    }
    expect(refused).toBeInstanceOf(RefusedError);
    expect((refused as RefusedError).problem).toMatchObject({ status: 503, type: 'urn:verbalis:problem:store-unavailable' });
    rmSync(join(disk, 'ballast'));
    ids.push((await client.messages.send(booking('after@post.example'))).id);
    await until(async () => ((await client.queue.get()).waiting === 0 ? true : undefined));
    for (const id of ids) expect((await client.messages.get(id)).deliveries[0]!.state).toBe('accepted');
  } finally {
    child.kill('SIGKILL');
    await simulator.close();
    await new Promise((done) => setTimeout(done, 200));
    spawnSync('umount', [disk]);
    folder.remove();
  }
});
