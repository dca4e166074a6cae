import { spawnSync, spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { once } from 'node:events';
import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { LIMITS } from './support/limits.js';
import { ROOT, temporaryFolder, until } from './support/service.js';

// A release as users meet it: tarballs, installed into an empty folder. The packages come from the registry, as those of this checkout did.

const folder = temporaryFolder();
const out = join(folder.path, 'release');
const prefix = join(folder.path, 'installed');
const { version } = JSON.parse(readFileSync(join(ROOT, 'package.json'), 'utf8')) as { version: string };

const KEPT = /^npm_config_(?:registry|cache|cafile|userconfig|globalconfig|nodedir|(?:https?_)?proxy|noproxy)$/;

function ran(command: string, args: readonly string[], cwd: string): { status: number | null; stdout: string; stderr: string } {
  // What npm says of this checkout is not for another folder; where its registry is, is.
  const isForeign = (name: string): boolean => /^(?:VERBALIS_|npm_)/.test(name) && !KEPT.test(name);
  const env = Object.fromEntries(Object.entries(process.env).filter(([name]) => !isForeign(name)));
  return spawnSync(command, args, { cwd, env, encoding: 'utf8', maxBuffer: 64 * 1024 * 1024 });
}

const npm = (args: readonly string[], cwd: string): void => {
  const { status, stderr } = ran('npm', [...args, '--prefer-offline', '--no-audit', '--no-fund', '--loglevel', 'error'], cwd);
  if (status !== 0) throw new Error(`npm ${args.join(' ')} failed:\n${stderr}`);
};

function empty(name: string): string {
  const path = join(folder.path, name);
  mkdirSync(path);
  return path;
}

beforeAll(() => {
  const { status, stderr } = ran(process.execPath, ['scripts/release.mjs', out, '--built'], ROOT);
  if (status !== 0) throw new Error(stderr);
  // SQLite is built when it is installed, which takes minutes: the one that this checkout has is taken instead.
  npm(['install', '--global', '--prefix', prefix, '--ignore-scripts', join(out, `verbalis-${version}.tgz`)], empty('anywhere'));
  const sqlite = 'node_modules/better-sqlite3/build/Release';
  const to = join(prefix, 'lib/node_modules/verbalis', sqlite);
  mkdirSync(to, { recursive: true });
  copyFileSync(join(ROOT, sqlite, 'better_sqlite3.node'), join(to, 'better_sqlite3.node'));
}, 3 * LIMITS.test);
afterAll(() => folder.remove());

const verbalis = (args: readonly string[], cwd: string) => ran(join(prefix, 'bin/verbalis'), args, cwd);

test('a release has its packages, its bill of materials and its checksums', () => {
  expect(readdirSync(out).sort()).toEqual([
    'SHA256SUMS',
    `verbalis-${version}.cdx.json`,
    `verbalis-${version}.tgz`,
    `verbalis-client-${version}.tgz`,
    `verbalis-core-${version}.tgz`,
    `verbalis-test-kit-${version}.tgz`,
  ]);
  for (const line of readFileSync(join(out, 'SHA256SUMS'), 'utf8').trim().split('\n')) {
    const [sum, name] = line.split('  ') as [string, string];
    expect(
      createHash('sha256')
        .update(readFileSync(join(out, name)))
        .digest('hex'),
    ).toBe(sum);
  }
  const { bomFormat, components } = JSON.parse(readFileSync(join(out, `verbalis-${version}.cdx.json`), 'utf8')) as {
    bomFormat: string;
    components: { name: string }[];
  };
  expect(bomFormat).toBe('CycloneDX');
  const names = components.map(({ name }) => name);
  expect(names).toEqual(expect.arrayContaining(['express', 'better-sqlite3']));
  expect(names).not.toContain('jest');
  // Nothing of the tests, and nothing of this machine.
  const { stdout } = ran('tar', ['-tzf', join(out, `verbalis-${version}.tgz`)], out);
  expect(
    stdout.split('\n').filter((path) => /\.test\.|\.tsbuildinfo|\.sqlite|secrets\.json|node_modules\/(?!@verbalis\/)/.test(path)),
  ).toEqual([]);
  // The licenses of everything that is in the bundles.
  const notices = ran('tar', ['-xzOf', join(out, `verbalis-${version}.tgz`), 'package/THIRD-PARTY.txt'], out).stdout;
  for (const name of ['express', 'drizzle-orm', 'react-dom', 'zod']) expect(notices).toMatch(new RegExp(`^${name} \\d+\\.`, 'm'));
  expect(notices).toContain('Permission is hereby granted, free of charge');
});

test('in an empty folder: the version, a mail folder, a service, a message, the email', async () => {
  const cwd = empty('app');
  expect(verbalis(['--version'], cwd)).toMatchObject({ status: 0, stdout: `${version}\n` });
  expect(verbalis(['init', 'mail'], cwd)).toMatchObject({ status: 0 });
  expect(verbalis(['check', 'mail'], cwd)).toMatchObject({ status: 0 });
  const child = spawn(
    join(prefix, 'bin/verbalis'),
    ['capture', '--json', '--port', '0', '--smtp-port', '0', '--mail-folder', 'mail', '--dir', 'kept'],
    { cwd, stdio: ['ignore', 'pipe', 'inherit'] },
  );
  let said = '';
  child.stdout.on('data', (bytes: Buffer) => (said += bytes.toString()));
  const { result } = JSON.parse(await until(() => (said.includes('\n') ? said : undefined))) as { result: { url: string; key: string } };
  const { url, key } = result;
  const at = ['--url', url, '--key', key];
  const sent = verbalis(
    ['send', 'loan-due', '--to', 'asa@post.example', '--data', 'mail/templates/loan-due/samples/typical.json', ...at],
    cwd,
  );
  expect(sent).toMatchObject({ status: 0 });
  const waited = verbalis(['captured', 'wait', '--to', 'asa@post.example', '--part', 'text', ...at], cwd);
  expect(waited).toMatchObject({ status: 0 });
  expect(waited.stdout.length).toBeGreaterThan(50);
  // The console is in it.
  expect(await (await fetch(url)).text()).toContain('<div id="root">');
  child.kill('SIGTERM');
  expect((await once(child, 'exit'))[0]).toBe(0);
  expect(existsSync(join(cwd, 'kept/verbalis.sqlite'))).toBe(true);
});

test('the test kit and the client on their own: no SQLite with them, and the service is a child', () => {
  const cwd = empty('tested');
  writeFileSync(join(cwd, 'package.json'), '{ "name": "tested", "private": true, "type": "module" }');
  npm(['install', '--ignore-scripts', ...['client', 'core', 'test-kit'].map((name) => join(out, `verbalis-${name}-${version}.tgz`))], cwd);
  expect(existsSync(join(cwd, 'node_modules/better-sqlite3'))).toBe(false);
  writeFileSync(
    join(cwd, 'app.test.js'),
    `import { startMailService } from '@verbalis/test-kit';
const mail = await startMailService();
await mail.client.messages.send({ subject: 'Hello', text: 'Your code is 204816.', to: ['asa@post.example'] });
console.log((await mail.captured.waitFor({ to: 'asa@post.example' })).codes.join());
await mail.stop();
`,
  );
  const alone = ran(process.execPath, ['app.test.js'], cwd);
  expect(alone.stderr).toContain('The package "verbalis" is not installed here. Run: npm install --save-dev verbalis');
  const bin = join(prefix, 'lib/node_modules/verbalis/bin/verbalis.js');
  const { stdout, stderr } = spawnSync(process.execPath, ['app.test.js'], {
    cwd,
    env: { ...process.env, VERBALIS_BIN: bin },
    encoding: 'utf8',
  });
  expect({ stdout, stderr }).toMatchObject({ stdout: '204816\n' });
});
