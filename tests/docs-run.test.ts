import { spawn, type ChildProcess } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, readdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { runHere } from './support/cli.js';
import { freePorts } from './support/postfix.js';
import { ROOT, temporaryFolder, until } from './support/service.js';

// Every command line of the README and of docs/, run in the order of its page against the demo. docs/start.md has a test of its own, start.test.ts.

/** Commands that run until they are stopped, or on a service of another kind; each is run by the test that is named. */
const ELSEWHERE: readonly (readonly [RegExp, string])[] = [
  [/^verbalis serve /, 'start.test.ts'],
  [/^verbalis capture(?: +#|$)/, 'start.test.ts'],
  [/^verbalis preview /, 'preview.test.ts'],
  [/^verbalis messages follow/, 'cli.test.ts'],
  [/^verbalis (?:deliver|cluster) /, 'cluster.test.ts'],
  [/^verbalis demo --cluster/, 'cluster-demo.test.ts'],
  [/^verbalis restore --from /, 'copies.test.ts'],
  [/^verbalis restore \S+before-upgrade/, 'upgrade.test.ts'],
  [/^curl --fail-with-body --silent --show-error /, 'languages.test.ts'],
];

/** Commands that answer with another status than 0 here, and with what words. */
const OTHERWISE: readonly (readonly [RegExp, number, RegExp])[] = [
  // Nothing of the demo is in quarantine.
  [/^verbalis quarantine (?:show|retry|drop) /, 4, /No item "ITEM" waits in quarantine/],
  // There is no such host.
  [/^verbalis subscriptions add https:\/\/app/, 1, /The host is not found/],
  [/^verbalis subscriptions test /, 1, /not found/],
  [/^verbalis subscriptions pause /, 4, /has not agreed yet/],
  [/^verbalis subscriptions (?:resume|replay|renew-secret) /, 1, /unproven/],
  [/^verbalis alerts(?: +#|$)/, 1, /many-fail/],
  [/^verbalis doctor/, 1, /No backups are made/],
  // A call of nobody.
  [/^verbalis providers try .*--callback/, 1, /There is no signature/],
  [/^verbalis senders ask /, 4, /was asked just now/],
  // It goes on until it is ended.
  [/^curl .*\/events\/stream/, 28, /^(?:event|id|data|:)/m],
];

/** What a page needs beside the demo, and what its placeholders stand for. */
interface World {
  readonly stands?: Readonly<Record<string, string>>;
  readonly env?: Readonly<Record<string, string>>;
}

const { path, remove } = temporaryFolder();
const work = join(path, 'work');
let demo: ChildProcess;
let env: Record<string, string> = {};
let client: Client;
let drydock: Client;
/** Of apps, by space. */
let appKeys: Readonly<Record<string, string>> = {};

interface Ended {
  readonly status: number | null;
  readonly text: string;
}
function shell(command: string, more: Readonly<Record<string, string>> = {}): Promise<Ended> {
  return new Promise((done) => {
    const child = spawn('bash', ['-c', command], { cwd: work, env: { ...env, ...more }, stdio: ['ignore', 'pipe', 'pipe'] });
    let text = '';
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (bytes: Buffer) => (text += bytes.toString()));
    child.on('close', (status) => done({ status, text }));
  });
}

/** A line that a shell only cuts into words needs neither a shell nor a process. */
const PLAIN = /^verbalis ([\w\s@.,:/=+%…-]+?)(?:\s+#.*)?$/;

async function ended(line: string, more: Readonly<Record<string, string>> = {}): Promise<Ended> {
  const words = PLAIN.exec(line)?.[1]?.split(/\s+/);
  if (words === undefined) return shell(line, more);
  const { code, out, notes } = await runHere(words, { env: { ...env, ...more }, cwd: work });
  return { status: code, text: out + notes };
}

beforeAll(async () => {
  const bin = join(path, 'bin');
  for (const folder of [bin, work]) mkdirSync(folder);
  const cli = join(ROOT, 'packages/cli/bin/verbalis.js');
  symlinkSync(cli, join(bin, 'verbalis'));
  const dir = join(path, 'demo');
  const port = await freePorts(13);
  demo = spawn(process.execPath, [cli, 'demo', '--no-weeks', '--dir', dir, '--port', String(port)], { stdio: ['ignore', 'pipe', 'pipe'] });
  let text = '';
  for (const stream of [demo.stdout, demo.stderr]) stream?.on('data', (bytes: Buffer) => (text += bytes.toString()));
  const ready = until(() => (text.includes('End with') ? true : demo.exitCode === null ? undefined : false));
  expect([await ready, text]).toEqual([true, expect.any(String)]);
  const url = /VERBALIS_URL=(\S+)/.exec(text)?.[1] ?? '';
  const operator = /drydock --key (\S+)/.exec(text)?.[1] ?? '';
  env = {
    HOME: work,
    PATH: `${bin}:${process.env['PATH'] ?? ''}`,
    NO_COLOR: '1',
    VERBALIS_URL: url,
    VERBALIS_KEY: operator,
    VERBALIS_SPACE: 'harbour',
  };
  client = createClient({ url, key: operator, space: 'harbour' });
  drydock = createClient({ url, key: operator, space: 'drydock' });
  const scopes = ['read', 'read-sensitive'] as const;
  appKeys = {
    harbour: (await client.keys.add({ name: 'app', scopes: [...scopes] })).key,
    drydock: (await drydock.keys.add({ name: 'app', scopes: [...scopes] })).key,
  };
  // What a reader has: the demo with the ports of this one, and files of their own.
  cpSync(join(dir, 'files'), join(work, 'demo'), { recursive: true });
  for (const copy of ['mail', 'main/mail', 'branch/mail']) cpSync(join(work, 'demo/mail'), join(work, copy), { recursive: true });
  const write = (name: string, content: string): void => writeFileSync(join(work, name), content);
  const sample = (name: string): string => readFileSync(join(work, 'mail', name), 'utf8');
  const bounce = readFileSync(join(ROOT, 'tests/fixtures/returns/hand/generic-status.eml'), 'utf8');
  write('bounce.eml', bounce);
  write('all.mbox', `From MAILER-DAEMON Sat Nov 28 10:00:00 2026\n${bounce}\n`);
  mkdirSync(join(work, 'Maildir/cur'), { recursive: true });
  write('Maildir/cur/1:2,S', bounce);
  write('letter.eml', 'From: asa@post.example\nTo: help@returns.saltmarsh-ferries.example\nSubject: A scarf\n\nIs it there?\n');
  write('page.html', '<!doctype html><title>Hello</title><p>Dear %name%, your boat leaves at 8:45.</p>');
  write('old.csv', 'address,reason\nfull@post.example,complained\n');
  write('recipients.csv', 'to\nliv@post.example\nkofi@post.example\n');
  write('bulletin.json', sample('templates/pier-bulletin/samples/typical.json'));
  write('data.json', sample('templates/refund-receipt/samples/typical.json'));
  write('item.json', JSON.stringify((JSON.parse(sample('signals/samples/item-found.json')) as { data: object }).data));
  write('refused.json', '{"error":{"code":"recipient_blocked","message":"no"}}');
  write('call.json', '[]');
  write('headers.txt', 'content-type: application/json\n');
  for (const name of ['verbalis.yaml', 'profiles']) cpSync(join(work, 'demo', name), join(work, name), { recursive: true });
});
afterAll(async () => {
  const ended = new Promise((done) => demo.once('exit', done));
  demo.kill('SIGTERM');
  await ended;
  remove();
});

const demoFiles = () => ({
  VERBALIS_DATABASE_FILE: join(path, 'demo/verbalis.sqlite'),
  VERBALIS_SECRETS_FILE: join(path, 'demo/verbalis.secrets.json'),
});

async function someMessage(): Promise<string> {
  return (await client.messages.list({ state: 'delivered' })).messages[0]?.id ?? '';
}

/** One that is not done before it is paused. */
async function slowBulkSend(): Promise<string> {
  await shell('verbalis bulk-sends start pier-bulletin --file recipients.csv --data bulletin.json --per-minute 1');
  return (await client.bulkSends.list({})).bulkSends[0]?.id ?? '';
}

/** Someone is signed in to the console. */
async function session(): Promise<string> {
  const { url } = await client.session.link();
  const [, token = ''] = url.split('#token=');
  await fetch(`${env['VERBALIS_URL'] ?? ''}/console/session`, {
    method: 'POST',
    headers: { 'verbalis-console': '1', 'content-type': 'application/json' },
    body: JSON.stringify({ token }),
  });
  return (await client.sessions.list()).sessions[0]?.id ?? '';
}

const WORLDS: Readonly<Record<string, () => World | Promise<World>>> = {
  'README.md': async () => {
    const [captured] = (await drydock.captured.list({})).captured;
    return {
      stands: {
        OPERATOR: env['VERBALIS_KEY'] ?? '',
        MESSAGE: await someMessage(),
        MAIL: captured?.id ?? '',
        'my-copy': 'branch/mail',
        '/tmp/demo.sqlite': join(path, 'of-the-demo.sqlite'),
      },
      env: demoFiles(),
    };
  },
  'docs/backup.md': async () => {
    const copy = join(path, 'copy.sqlite');
    expect(await shell(`verbalis backup ${copy} --config demo/verbalis.yaml`, demoFiles())).toMatchObject({ status: 0 });
    return {
      stands: { '/var/backups/verbalis/verbalis-20261128T030000000Z.sqlite': copy },
      env: { VERBALIS_DATABASE_FILE: join(work, 'restored.sqlite'), VERBALIS_SECRETS_FILE: join(path, 'demo/verbalis.secrets.json') },
    };
  },
  'docs/bulk-sends.md': async () => ({ stands: { BULK_SEND: await slowBulkSend() } }),
  'docs/inbound.md': async () => {
    const [email] = (await client.inbound.list({})).inbound;
    return { stands: { 'v01k…': email?.id ?? '', 'returns.your-domain': 'returns.saltmarsh-ferries.example' } };
  },
  'docs/people.md': async () => ({ stands: { 'z01m…': await session() } }),
  'docs/production.md': async () => ({ stands: { 'k01k…': (await client.keys.add({ name: 'old', scopes: ['send'] })).id } }),
  'docs/providers.md': () => ({ stands: { parcel: 'packet-api' } }),
  'docs/providers/trying.md': async () => ({ stands: { parcel: 'packet-api', 'm01…': await someMessage() } }),
  'docs/schedules.md': async () => ({ stands: { TIME: (await client.schedules.get('pier-bulletin')).next[1]?.at ?? '' } }),
  'docs/sensitive-data.md': async () => ({ stands: { 'm01k…': await someMessage() } }),
  'docs/signals.md': async () => ({ stands: { 'j01m8…': (await client.signals.list({})).signals[0]?.id ?? '' } }),
  'docs/try.md': async () => {
    const { captured } = await drydock.captured.list({});
    const code = captured.find(({ to }) => to.includes('sign-in-code'));
    return { stands: { MAIL: code?.id ?? '', 'asa@post.example': code?.to ?? '' }, env: { VERBALIS_SPACE: 'drydock' } };
  },
};

const pagesIn = (folder: string): string[] =>
  readdirSync(join(ROOT, folder), { withFileTypes: true }).flatMap((entry) => {
    if (entry.isDirectory()) return ['screenshots', 'decisions', 'reference'].includes(entry.name) ? [] : pagesIn(join(folder, entry.name));
    return entry.name.endsWith('.md') ? [join(folder, entry.name)] : [];
  });

/** The command lines of a page; of a session that shows a prompt, what follows it. */
function commandsOf(file: string): string[] {
  const text = readFileSync(join(ROOT, file), 'utf8');
  return [...text.matchAll(/^ *```(\w*)[^\n]*\n([\s\S]*?)^ *```$/gm)].flatMap(([, language = '', block = '']) =>
    !['', 'sh'].includes(language)
      ? []
      : block
          .replace(/\\\n\s*/g, ' ')
          .split('\n')
          .map((line) => line.trim().replace(/^(?:\$ )?(?:npx )?/, ''))
          .filter((line) => /^(?:verbalis|curl) /.test(line)),
  );
}

/** Words that no output may have: a fault of ours that is shown as it came. */
const BROKEN = /\bat .+\(.+:\d+:\d+\)|\[object Object\]|\bundefined\b|\bNaN\b/;

async function ranAsShown(command: string, { stands = {}, env: more = {} }: World): Promise<string[]> {
  const shown = Object.entries(stands).reduce((now, [mark, value]) => now.replaceAll(mark, value), command);
  const isCall = shown.startsWith('curl ');
  const line = isCall ? shown.replace('curl', 'curl --fail-with-body --silent --max-time 5') : shown;
  // An app has a key of its space.
  const key = appKeys[more['VERBALIS_SPACE'] ?? 'harbour'] ?? '';
  const vars = isCall ? { ...more, KEY: key, VERBALIS_KEY: key, URL: env['VERBALIS_URL'] ?? '' } : more;
  let { status, text } = await ended(line, vars);
  // It asks before it does it; here is nobody.
  if (text.includes('There is no terminal to ask on.')) ({ status, text } = await ended(`${line.replace(/ #.*/, '')} --yes`, vars));
  const [, wanted, words] = OTHERWISE.find(([pattern]) => pattern.test(line)) ?? [/./, 0, /^/];
  const isShown = text.trim() !== '' || line.includes('> ');
  return status === wanted && isShown && words.test(text) && !BROKEN.test(text)
    ? []
    : [`${line}\n  exits with ${status}, not ${wanted}:\n${text}`];
}

const commands = ['README.md', ...pagesIn('docs')]
  .filter((file) => file !== 'docs/start.md')
  .map((file) => ({ file, lines: commandsOf(file).filter((line) => !ELSEWHERE.some(([pattern]) => pattern.test(line))) }))
  .filter(({ lines }) => lines.length > 0);

test.each(commands)('$file: every command line', async ({ file, lines }) => {
  const world = (await WORLDS[file]?.()) ?? {};
  const faults: string[] = [];
  for (const line of lines) faults.push(...(await ranAsShown(line, world)));
  expect(faults).toEqual([]);
});

test('there are many, and what is run elsewhere has its test', () => {
  expect(commands.flatMap(({ lines }) => lines).length).toBeGreaterThan(110);
  for (const [pattern, file] of ELSEWHERE) {
    expect(readdirSync(join(ROOT, 'tests'))).toContain(file);
    // One that no page has any more is removed from the list.
    expect({ pattern, isThere: ['README.md', ...pagesIn('docs')].flatMap(commandsOf).some((line) => pattern.test(line)) }).toEqual({
      pattern,
      isThere: true,
    });
  }
});
