import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import { ROOT, temporaryFolder, until } from './support/service.js';
import { freePorts } from './support/postfix.js';

// docs/start.md from its first command to its last, as a reader types them, in an empty folder. What is installed there is this checkout's command;
// that the release installs it is shown by release.test.ts.

const blocks = [...readFileSync(join(ROOT, 'docs/start.md'), 'utf8').matchAll(/^```sh ?([\w=]*)\n([\s\S]*?)^```$/gm)].map(
  ([, mark = '', text = '']) => ({ mark, text }),
);
const { path, remove } = temporaryFolder();
afterAll(remove);

test('every command of docs/start.md, in order', async () => {
  const bin = join(path, 'bin');
  mkdirSync(bin);
  symlinkSync(join(ROOT, 'packages/cli/bin/verbalis.js'), join(bin, 'verbalis'));
  const env: Record<string, string> = { HOME: path, PATH: `${bin}:${process.env['PATH'] ?? ''}` };
  const port = await freePorts(2);
  let cwd = path;
  const shell = (text: string): { status: number | null; out: string } => {
    // The page goes on in the folder that it has gone to.
    const { status, stdout, stderr } = spawnSync('bash', ['-e', '-c', `${text}\npwd > "$HOME/where"`], { cwd, env, encoding: 'utf8' });
    if (status === 0) cwd = readFileSync(join(path, 'where'), 'utf8').trim();
    return { status, out: `${stdout}${stderr}` };
  };
  let service: ReturnType<typeof spawn> | undefined;
  const seen: string[] = [];
  try {
    for (const { mark, text } of blocks) {
      seen.push(mark);
      if (mark === 'install' || mark === 'skip') continue;
      if (mark === 'background') {
        // The ports of the page may be taken here.
        const args = [...text.trim().split(' ').slice(1), '--port', String(port), '--smtp-port', String(port + 1)];
        service = spawn(join(bin, 'verbalis'), args, { cwd, env, stdio: ['ignore', 'pipe', 'inherit'] });
        let said = '';
        service.stdout?.on('data', (bytes: Buffer) => (said += bytes.toString()));
        const [, url = '', key = ''] = await until(() => /export VERBALIS_URL=(\S+) VERBALIS_KEY=(\S+)/.exec(said) ?? undefined);
        Object.assign(env, { VERBALIS_URL: url, VERBALIS_KEY: key });
        continue;
      }
      const { status, out } = shell(text);
      const wanted = Number(/^fails=(\d+)$/.exec(mark)?.[1] ?? 0);
      expect({ text, status, out }).toEqual({ text, status: wanted, out });
      if (wanted !== 0) expect(out).toContain('data.books is missing');
      if (text.includes('captured wait')) expect(out).toContain('The Tide Tables');
    }
  } finally {
    service?.kill('SIGTERM');
  }
  expect(seen.filter((mark) => mark === '')).not.toHaveLength(0);
  expect(new Set(seen)).toEqual(new Set(['install', '', 'background', 'skip', 'fails=4']));
});
