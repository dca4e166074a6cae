import { spawn } from 'node:child_process';
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { ROOT, temporaryFolder } from './support/service.js';

test('the demo of a cluster loses nothing, goes on to be looked at, and leaves nothing behind after Ctrl+C', async () => {
  const folder = temporaryFolder();
  const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'demo', '--cluster', '--stay'], {
    env: { ...process.env, TMPDIR: folder.path, NO_COLOR: '1' },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  try {
    let said = '';
    await new Promise<void>((done, fail) => {
      const hear = (chunk: Buffer): void => {
        said += chunk.toString();
        if (said.includes('End with Ctrl+C.')) done();
      };
      child.stdout.on('data', hear);
      child.stderr.on('data', hear);
      child.once('exit', () => fail(new Error(said)));
    });
    expect(said).toMatch(/took over, and accepted the next booking after/);
    expect(said).toMatch(/^lost +0$/m);
    const [, url = '', key = '', space = ''] = /VERBALIS_URL=(\S+) VERBALIS_KEY=(\S+) VERBALIS_SPACE=(\S+)/.exec(said) ?? [];
    const client = createClient({ url, key, space });
    expect(await client.cluster.get()).toMatchObject({ state: 'healthy', role: 'primary' });
    expect(/http\S+\/sign-in#token=\S+/.exec(said)?.[0]).toContain(url);
    child.removeAllListeners('exit');
    const ended = new Promise<number | null>((done) => child.once('exit', done));
    child.kill('SIGINT');
    expect(await ended).toBe(0);
    await expect(client.cluster.get()).rejects.toThrow(/No answer from/);
    expect(readdirSync(folder.path).filter((name) => name.startsWith('verbalis-'))).toEqual([]);
  } finally {
    child.kill('SIGKILL');
    folder.remove();
  }
});
