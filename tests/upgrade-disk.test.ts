import { spawn } from 'node:child_process';
import { copyFileSync, existsSync, readdirSync, readFileSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { gunzipSync } from 'node:zlib';
import { expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { spawnCli } from './support/cli.js';
import { OPERATOR, ROOT } from './support/service.js';
import { smallDisk } from './support/small-disk.js';

// An upgrade copies the database before it changes it. Wherever the room ends, the file stays as it was, or is upgraded.
const RELEASE = join(ROOT, 'tests/fixtures/releases/0.1.0');
const [STEP, SIZE] = [512 * 1024, 8_000_000];

interface Started {
  /** Undefined where the service ended. */
  readonly url?: string;
  readonly status?: number | null;
  readonly said: string;
  readonly end: () => Promise<void>;
}

function start(config: string): Promise<Started> {
  const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'serve', '--json', '--config', config], {
    env: { ...process.env, VERBALIS_OPERATOR_SECRET: OPERATOR },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let said = '';
  const exited = new Promise<number | null>((done) => child.once('exit', done));
  child.stderr.on('data', (chunk: Buffer) => (said += chunk.toString()));
  const end = async (): Promise<void> => {
    child.kill('SIGKILL');
    await exited;
  };
  return new Promise((done) => {
    createInterface({ input: child.stdout }).on('line', (line) => {
      said += line;
      const { ok, result } = JSON.parse(line) as { ok: boolean; result?: { url: string } };
      if (ok && result !== undefined) done({ url: result.url, said, end });
    });
    void exited.then((status) => done({ status, said, end }));
  });
}

test('an upgrade on a disk that fills up leaves the database as it was, says so, and is done when there is room', async () => {
  const expected = JSON.parse(readFileSync(join(RELEASE, 'expected.json'), 'utf8')) as { messages: { id: string }[] };
  const bytes = gunzipSync(readFileSync(join(RELEASE, 'verbalis.sqlite.gz')));
  const disk = smallDisk(SIZE / 1_000_000);
  const database = join(disk.path, 'verbalis.sqlite');
  const config = join(disk.path, 'verbalis.yaml');
  let refusals = 0;
  try {
    writeFileSync(
      config,
      `listen: { port: 0 }\nreturns: { port: 0 }\ndns: { check: false }\nlog: { level: fatal }\nspaces: { harbour: { mode: capture } }\n`,
    );
    copyFileSync(join(RELEASE, 'verbalis.secrets.json'), join(disk.path, 'verbalis.secrets.json'));
    writeFileSync(database, bytes);
    for (let free = 0; ; free += STEP) {
      disk.fill(0);
      const { bavail, bsize } = statfsSync(disk.path);
      disk.fill(Math.max(0, bavail * bsize - free));
      const started = await start(config);
      if (started.url !== undefined) {
        const client = createClient({ url: started.url, key: OPERATOR, space: 'harbour' });
        for (const { id } of expected.messages) expect((await client.messages.get(id)).id).toBe(id);
        await started.end();
        break;
      }
      refusals += 1;
      expect([started.status, started.said]).toEqual([2, expect.stringContaining('The disk is full.')]);
      expect(started.said).not.toMatch(/\bat .+\(.+:\d+:\d+\)/);
      // With room again the version before finds its database as it was.
      disk.fill(0);
      const { code, out } = await spawnCli(['integrity', database, '--json']);
      expect([code, JSON.parse(out)]).toEqual([0, expect.objectContaining({ ok: true })]);
    }
    expect(refusals).toBeGreaterThan(0);
    expect(existsSync(database)).toBe(true);
    // What a refused start had begun to copy is not left behind.
    expect(readdirSync(disk.path).filter((name) => /before-upgrade.*\.(?:part|tmp)|\.part$/.test(name))).toEqual([]);
  } finally {
    rmSync(config, { force: true });
    await disk.remove();
  }
});
