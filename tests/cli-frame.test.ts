import { spawn, spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { parse } from 'csv-parse/sync';
import { runCli, spawnCli, type Ran } from './support/cli.js';
import { OPERATOR, ROOT, startTestService, temporaryFolder, type TestService } from './support/service.js';

// What all commands have in common: the JSON document, lists, exit statuses, completion, a reader that has gone.

const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');
const MANY = 120;
const folder = temporaryFolder();
let all: TestService;
const verbalis = (...args: string[]): Promise<Ran> => runCli(args, all.service);
beforeAll(async () => {
  all = await startTestService({});
  const operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
  for (let i = 0; i < MANY; i += 1)
    await operator.suppressions.add({ address: `guest.${i}@post.example`, note: i === 7 ? '=1+1' : `"${i}", said` });
});
afterAll(async () => {
  await all.stop();
  folder.remove();
});

interface Document {
  readonly ok: boolean;
  readonly status: number;
  readonly result?: Record<string, unknown>;
  readonly problem?: { readonly title: string; readonly problems?: readonly unknown[] };
}
const documentOf = ({ out }: Ran): Document => JSON.parse(out) as Document;

describe('--json', () => {
  test.each([
    [['status'], 0],
    [['messages', 'list'], 0],
    [['search', 'nobody-of-this-name'], 1],
    [['messages', 'nothing'], 2],
    [['messages', 'show'], 2],
    [['send', 'nothing'], 2],
    [['messages', 'show', 'm0'], 4],
    [['messages', 'list', '--url', 'http://127.0.0.1:9'], 3],
    [['completion', 'bash'], 0],
    [['captured', 'clear'], 2],
  ])('%j prints one document, and ends with %i', async (args, status) => {
    const ran = await spawnCli([...args, '--json'], args[0] === 'completion' ? undefined : all.service);
    const document = documentOf(ran);
    expect({ code: ran.code, ok: document.ok, status: document.status }).toEqual({ code: status, ok: status === 0, status });
    expect(document.problem === undefined).toBe(status < 2);
    if (status === 0) expect(document.result).toBeDefined();
  });

  test('a refusal has its single problems', async () => {
    const ran = await verbalis('send', 'refund-receipt', '--to', 'nobody', '--json');
    expect(documentOf(ran).problem).toMatchObject({
      title: 'The request is not valid',
      problems: expect.arrayContaining([expect.objectContaining({ path: 'to[0]' })]),
    });
  });

  test('bytes are base64', async () => {
    const eml = join(folder.path, 'a.eml');
    writeFileSync(eml, 'Subject: x\r\n\r\ny\r\n');
    const ran = await spawnCli(['render', join(ROOT, 'demo/mail'), 'refund-receipt', '--part', 'eml', '--json']);
    const { base64 } = documentOf(ran).result as { base64: string };
    expect(Buffer.from(base64, 'base64').toString('latin1')).toMatch(/^Subject: /m);
  });
});

describe('lists', () => {
  test('come in pages; --all has all of them, each once and in their order', async () => {
    const page = documentOf(await verbalis('suppressions', 'list', '--limit', '50', '--json')).result as {
      suppressions: unknown[];
      nextCursor: string;
    };
    expect(page.suppressions).toHaveLength(50);
    const rest = documentOf(await verbalis('suppressions', 'list', '--limit', '200', '--cursor', page.nextCursor, '--json')).result as {
      suppressions: unknown[];
    };
    const whole = documentOf(await verbalis('suppressions', 'list', '--all', '--limit', '7', '--json')).result as Record<string, unknown>;
    expect(whole).toEqual({ suppressions: [...page.suppressions, ...rest.suppressions] });
    expect(whole['suppressions']).toHaveLength(MANY);
  });

  test('--csv has the fields of the API, quoted, and nothing that a spreadsheet computes', async () => {
    const { out, code } = await verbalis('suppressions', 'list', '--all', '--csv');
    expect(code).toBe(0);
    const rows: Record<string, string>[] = parse(out, { columns: true });
    expect(rows).toHaveLength(MANY);
    expect(rows.map((row) => row['address']).sort()).toEqual(Array.from({ length: MANY }, (_, i) => `guest.${i}@post.example`).sort());
    expect(rows.find((row) => row['address'] === 'guest.8@post.example')?.['note']).toBe('"8", said');
    expect(rows.find((row) => row['address'] === 'guest.7@post.example')?.['note']).toBe("'=1+1");
  });

  test('every list of the command line has --csv, and prints it', async () => {
    const { allCommands } = (await import('@verbalis/cli')) as {
      allCommands: () => Promise<{ commands: readonly unknown[] }>;
    };
    interface Node {
      name: () => string;
      commands: readonly Node[];
      options: readonly { long?: string }[];
      registeredArguments: readonly { required: boolean }[];
    }
    const walk = (node: Node, path: string[]): string[][] => [
      ...(node.options.some(({ long }) => long === '--csv') && node.registeredArguments.length === 0 ? [path] : []),
      ...node.commands.flatMap((child) => walk(child, [...path, child.name()])),
    ];
    const paths = walk((await allCommands()) as unknown as Node, []);
    expect(paths.length).toBeGreaterThan(20);
    const failed: string[] = [];
    const work = async (): Promise<void> => {
      for (let path = paths.shift(); path !== undefined; path = paths.shift()) {
        const { code, out, notes } = await verbalis(...path, '--csv');
        // "quarantine" and "backups" have something to say with their status.
        if (![0, 1].includes(code ?? -1) || out.startsWith('{')) failed.push(`${path.join(' ')}: ${code ?? ''} ${notes}`);
      }
    };
    await Promise.all([work(), work(), work()]);
    expect(failed).toEqual([]);
  });
});

test('--quiet leaves remarks out, not errors', async () => {
  expect((await verbalis('messages', 'list')).notes).toContain('No messages here');
  expect((await verbalis('messages', 'list', '--quiet')).notes).toBe('');
  expect((await verbalis('messages', 'show', 'm0', '--quiet')).notes).toContain('There is no such message');
});

test('status says what the key may see', async () => {
  const { out } = await verbalis('status');
  expect(out).toMatch(/● ready +http:\/\/127/);
  expect(out).toMatch(/Providers +relay: working/);
  const bare = await spawnCli(['status', '--url', all.service.url, '--key', 'wrong']);
  expect([bare.code, bare.out, bare.notes]).toEqual([0, expect.stringContaining('● ready'), expect.stringContaining('only readiness')]);
});

test('console link opens the console once', async () => {
  const { out } = await spawnCli(['console', 'link', '--url', all.service.url, '--key', OPERATOR]);
  expect(out).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/sign-in#token=\S+\n$/);
});

test('a reader that has gone ends the command without a word', async () => {
  const child = spawn('bash', ['-o', 'pipefail', '-c', `${process.execPath} ${CLI} completion bash | head -1; echo "\${PIPESTATUS[0]}"`]);
  let text = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (bytes: Buffer) => (text += bytes.toString()));
  await new Promise((done) => child.on('close', done));
  expect(text).toBe('# Completion of verbalis for bash, made by: verbalis completion bash\n0\n');
});

describe('completion', () => {
  const script = (shell: string): string => {
    const file = join(folder.path, `_verbalis-${shell}`);
    writeFileSync(file, spawnSync(process.execPath, [CLI, 'completion', shell], { encoding: 'utf8' }).stdout);
    return file;
  };
  const WANTED: readonly (readonly [words: string, offered: readonly string[]])[] = [
    ['mess', ['messages']],
    ['messages sh', ['show']],
    ['messages list --sta', ['--state']],
    ['captured show x --part t', ['text']],
    ['domains add x --policy q', ['quarantine']],
    ['check --format gi', ['github']],
  ];

  test('bash', () => {
    const file = script('bash');
    for (const [words, offered] of WANTED) {
      const line = `source ${file}; COMP_WORDS=(verbalis ${words}); COMP_CWORD=$((\${#COMP_WORDS[@]}-1)); _verbalis; printf '%s\\n' "\${COMPREPLY[@]}"`;
      const { stdout, stderr } = spawnSync('bash', ['-c', line], { encoding: 'utf8' });
      expect([words, stdout.trim().split('\n'), stderr]).toEqual([words, offered, '']);
    }
  });
  test('fish', () => {
    const file = script('fish');
    for (const [words, offered] of WANTED) {
      const { stdout, stderr } = spawnSync('fish', ['--no-config', '-c', `source ${file}; complete -C "verbalis ${words}"`], {
        encoding: 'utf8',
      });
      const found = stdout
        .trim()
        .split('\n')
        .map((line) => line.split('\t')[0]);
      expect([words, found, stderr]).toEqual([words, offered, '']);
    }
  });
  test('zsh', () => {
    const file = script('zsh');
    for (const [words, offered] of WANTED) {
      // compadd and _describe work in an editor only: what they are given is what counts.
      const show = `_describe() { print -l -- \${offered[@]%%:*} }; compadd() { shift; print -l -- "$@" }; compdef() { : }`;
      const line = `${show}; words=(verbalis ${words}); CURRENT=\${#words}; source ${file}; _verbalis`;
      const { stdout, stderr } = spawnSync('zsh', ['-f', '-c', line], { encoding: 'utf8' });
      expect(stderr).toBe('');
      const prefix = words.split(' ').at(-1) ?? '';
      expect([
        words,
        stdout
          .trim()
          .split('\n')
          .filter((found) => found.startsWith(prefix)),
      ]).toEqual([words, offered]);
    }
  });
});

describe('on a terminal', () => {
  /** The command on a terminal of its own, on which something is typed when it asks. */
  function typed(command: string, answer: string): Promise<{ readonly code: number | null; readonly text: string }> {
    const { url } = all.service;
    const line = `${process.execPath} ${CLI} ${command} --space harbour`;
    return new Promise((done) => {
      const child = spawn('script', ['-qec', line, '/dev/null'], {
        env: { ...process.env, VERBALIS_URL: url, VERBALIS_KEY: OPERATOR },
        stdio: ['pipe', 'pipe', 'inherit'],
      });
      let text = '';
      child.stdout.on('data', (bytes: Buffer) => {
        const isAsked = text.includes('[y/N]');
        text += bytes.toString();
        if (!isAsked && text.includes('[y/N]')) child.stdin.write(answer);
      });
      child.on('close', (code) => done({ code, text }));
    });
  }

  test.each([
    ['n\r', 1, 'active'],
    ['\r', 1, 'active'],
    // Ctrl+C and Ctrl+D
    ['\u0003', 1, 'active'],
    ['\u0004', 1, 'active'],
    ['y\r', 0, 'revoked'],
  ])('a question that is answered with %j', async (answer, status, state) => {
    const operator = createClient({ url: all.service.url, key: OPERATOR, space: 'harbour' });
    const { id } = await operator.keys.add({ name: 'till', scopes: ['send'] });
    const { code, text } = await typed(`keys revoke ${id}`, answer);
    expect(text).toContain('[y/N]');
    expect((await operator.keys.get(id)).state).toBe(state);
    expect({ code, text }).toEqual({ code: status, text: expect.any(String) });
    expect(text).not.toMatch(/\bat .+:\d+:\d+/);
  });
});
