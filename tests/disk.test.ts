import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { expect, test } from '@jest/globals';
import { createClient, RefusedError } from '@verbalis/client';
import { startSmtpProvider } from '@verbalis/simulators';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, temporaryFolder, until } from './support/service.js';

const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');
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
spaces: { harbour: { mode: deliver, mailFolder: ${DEMO_FOLDER}, route: [relay], senderDomains: [saltmarsh-ferries.example] } }\n`,
  );
  const child = spawn(process.execPath, [CLI, 'serve', '--json', '--config', config], {
    cwd: folder.path,
    env: { PATH: process.env['PATH'], VERBALIS_OPERATOR_SECRET: OPERATOR },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  try {
    const line = await new Promise<string>((ready) => createInterface({ input: child.stdout }).once('line', ready));
    const client = createClient({
      url: (JSON.parse(line) as { result: { url: string } }).result.url,
      key: OPERATOR,
      space: 'harbour',
      tries: 1,
    });
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
