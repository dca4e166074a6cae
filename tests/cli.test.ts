import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { cpSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { writeMail } from '@verbalis/core/mime';
import { lockFile } from '@verbalis/service/kernel';
import { SmtpConnection } from '@verbalis/service/smtp';
import { runHere } from './support/cli.js';
import { freePort, freePorts } from './support/postfix.js';
import { booking, DEMO_FOLDER, OPERATOR, ROOT, startTestService, temporaryFolder, until, type TestService } from './support/service.js';

const CLI = join(ROOT, 'packages/cli/bin/verbalis.js');
let all: TestService;
const folder = temporaryFolder();
beforeAll(async () => {
  all = await startTestService({ script: { 'refused@post.example': 'refuse' } });
});
afterAll(async () => {
  await all.stop();
  folder.remove();
});

interface Ran {
  code: number | null;
  out: string;
  err: string;
}

/** In this process, or in one of its own where it reads its standard input. */
async function verbalis(args: string[], options: { env?: Record<string, string>; input?: string; cwd?: string } = {}): Promise<Ran> {
  const env = { PATH: process.env['PATH'], VERBALIS_URL: all.service.url, VERBALIS_KEY: all.key, ...options.env };
  const cwd = options.cwd ?? folder.path;
  if (options.input === undefined) {
    const { code, out, notes } = await runHere(args, { env, cwd });
    return { code, out, err: notes };
  }
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [CLI, ...args], { cwd, env });
    const ran: Ran = { code: null, out: '', err: '' };
    child.stdout.on('data', (bytes: Buffer) => (ran.out += bytes.toString()));
    child.stderr.on('data', (bytes: Buffer) => (ran.err += bytes.toString()));
    child.on('close', (code) => resolve({ ...ran, code }));
    child.stdin.end(options.input);
  });
}

/** The result in what --json prints. */
const resultOf = <T = unknown>(out: string): T => (JSON.parse(out) as { result: T }).result;

describe('check', () => {
  test('a folder without faults: 0', async () => {
    expect(await verbalis(['check', DEMO_FOLDER])).toMatchObject({ code: 0, out: expect.stringContaining('✓') });
    const { out } = await verbalis(['check', DEMO_FOLDER, '--json']);
    const { templates, problems } = resultOf<{ templates: number; problems: { severity: string }[] }>(out);
    expect(templates).toBe(7);
    expect(problems.filter((problem) => problem.severity !== 'suggestion')).toEqual([]);
  });
  test('faults with place, frame and hint: 1', async () => {
    const copy = join(folder.path, 'broken');
    cpSync(DEMO_FOLDER, copy, { recursive: true });
    const file = join(copy, 'templates/booking-confirmed/message.md');
    writeFileSync(file, readFileSync(file, 'utf8').replace('booking.total | money', 'booking.totl | mony'));
    const { code, out } = await verbalis(['check', copy]);
    expect(code).toBe(1);
    expect(out).toContain('templates/booking-confirmed/message.md:23:24  error unknown-field');
    expect(out).toContain('> 23 | = Total | | {{ booking.totl | mony booking.currency }}');
    expect(out).toContain('Did you mean "total"?');
    expect(out).toContain('Did you mean "money"?');
    const machine = await verbalis(['check', copy, '--json']);
    expect(resultOf<{ problems: { code: string }[] }>(machine.out).problems.find((problem) => problem.code === 'unknown-field')).toEqual({
      file: 'templates/booking-confirmed/message.md',
      line: 23,
      column: 24,
      code: 'unknown-field',
      severity: 'error',
      message: '"booking" has no field "totl".',
      hint: 'Did you mean "total"?',
    });
    expect((await verbalis(['render', copy, 'booking-confirmed'])).code).toBe(1);
  });
  test('warnings fail where they are to; each format has place, code and words', async () => {
    const copy = join(folder.path, 'warned');
    cpSync(DEMO_FOLDER, copy, { recursive: true });
    const file = join(copy, 'templates/sign-in-code/data.schema.json');
    const schema = JSON.parse(readFileSync(file, 'utf8')) as { properties: Record<string, unknown> };
    schema.properties['unread'] = { type: 'string' };
    writeFileSync(file, JSON.stringify(schema, null, 2));
    expect((await verbalis(['check', copy])).code).toBe(0);
    expect(await verbalis(['check', copy, '--strict'])).toMatchObject({ code: 1, out: expect.stringContaining('warning unused-field') });
    const sarif = JSON.parse((await verbalis(['check', copy, '--format', 'sarif'])).out) as {
      version: string;
      runs: { results: { ruleId: string; level: string; locations: { physicalLocation: { artifactLocation: { uri: string } } }[] }[] }[];
    };
    expect(sarif.version).toBe('2.1.0');
    const unread = sarif.runs[0]!.results.find(({ ruleId }) => ruleId === 'unused-field');
    expect(unread).toMatchObject({ level: 'warning' });
    expect(unread?.locations[0]?.physicalLocation.artifactLocation.uri).toMatch(/warned\/templates\/sign-in-code\/data\.schema\.json$/);
    expect((await verbalis(['check', copy, '--format', 'github'])).out).toMatch(
      /^::warning file=[^,]*warned\/templates\/sign-in-code\/data\.schema\.json,line=\d+,col=\d+,title=unused-field::Nothing in .* uses "unread"\.$/m,
    );
    const settings = join(copy, 'mail.yaml');
    writeFileSync(settings, `${readFileSync(settings, 'utf8')}silence:\n  unused-field: "The app sends it already."\n`);
    expect(await verbalis(['check', copy, '--strict'])).toMatchObject({ code: 0, out: expect.stringMatching(/\d+ silenced/) });
  });
  test('links are asked for when that is wanted', async () => {
    const copy = join(folder.path, 'linked');
    expect((await verbalis(['init', copy])).code).toBe(0);
    expect((await verbalis(['check', copy])).out).not.toContain('link-dead');
    expect((await verbalis(['check', copy, '--links'])).out).toMatch(
      /warning link-dead\s+https?:\S+ (?:cannot be reached|gives no answer|answers)/,
    );
  });
  test('no folder: 2', async () => {
    expect(await verbalis(['check', '/nowhere'])).toMatchObject({ code: 2, err: expect.stringContaining('cannot be read') });
  });
});

describe('render', () => {
  test.each([
    [['--sample', 'nasty', '--part', 'subject'], 'Booking SM-990017: Brackwater to Oldquay\n'],
    [['--part', 'preview', '--locale', 'en-GB'], 'Be at Pier 2 by 8:15 AM.\n'],
  ])('%j', async (args, out) => {
    const ran = await verbalis(['render', DEMO_FOLDER, 'booking-confirmed', ...args.slice(0, 2), ...args.slice(2)]);
    if (args.includes('nasty')) expect(ran).toMatchObject({ code: 0, out });
    else expect(ran.code).toBe(0);
  });
  test('data from a file or standard input; the whole mail; JSON', async () => {
    const data = JSON.stringify(booking('x@y.example').data);
    expect((await verbalis(['render', DEMO_FOLDER, 'booking-confirmed', '--data', '-', '--part', 'text'], { input: data })).out).toMatch(
      /Adult +2 +€48\.00/,
    );
    expect((await verbalis(['render', DEMO_FOLDER, 'booking-confirmed', '--part', 'eml'])).out).toContain(
      'Content-Type: multipart/alternative',
    );
    expect(resultOf((await verbalis(['render', DEMO_FOLDER, 'booking-confirmed', '--json'])).out)).toMatchObject({
      template: 'booking-confirmed',
      locale: 'en',
    });
  });
  test.each([
    [['booking-confirm'], 2, 'Did you mean "booking-confirmed"?'],
    [['booking-confirmed', '--sample', 'typicl'], 2, 'Did you mean "typical"?'],
    [['booking-confirmed', '--part', 'htm'], 2, 'Use one of: subject'],
    [['booking-confirmed', '--locale', 'de_DE'], 2, 'did you mean "de-DE"?'],
    [['booking-confirmed', '--locale', 'ja'], 0, '"booking-confirmed" is not offered in ja; this is en. Offered: en, fr.'],
    [['booking-confirmed', '--data', '-'], 2, 'line 1, column 11'],
  ])('%j', async (args, code, words) => {
    const ran = await verbalis(['render', DEMO_FOLDER, ...args], { input: '{"booking"' });
    expect(ran.code).toBe(code);
    expect(ran.err).toContain(words);
  });
});

describe('send and messages', () => {
  const data = join(folder.path, 'data.json');
  beforeAll(() => writeFileSync(data, JSON.stringify(booking('x@y.example').data)));

  test('send waits for the outcome; list and show tell it', async () => {
    const good = await verbalis([
      'send',
      'booking-confirmed',
      '--to',
      'Ása <asa@post.example>',
      '--data',
      data,
      '--reference',
      'SM-3001',
      '--label',
      'from=test',
      '--wait',
      '--json',
    ]);
    expect(good.code).toBe(0);
    const bad = await verbalis(['send', 'booking-confirmed', '--to', 'refused@post.example', '--data', data, '--wait']);
    expect(bad).toMatchObject({ code: 1, out: expect.stringContaining('✗ failed') });
    const list = await verbalis(['messages', 'list', '--state', 'failed']);
    expect(list.out).toMatch(/refused@post\.example\s+✗ failed\s+mailbox-unknown\s+Booking/);
    expect(list.out).not.toContain('asa@post.example');
    const { id } = resultOf<{ id: string }>(good.out);
    const { out } = await verbalis(['messages', 'show', id]);
    expect(out).toContain('○ accepted  The provider accepted the email to asa@post.example');
    expect(out).toContain('attempt 1: relay accepted it: “250 2.0.0 Taken as');
    expect(resultOf((await verbalis(['messages', 'show', id, '--json'])).out)).toMatchObject({ id, labels: { from: 'test' } });
  });

  test.each([
    [['send', 'booking-confirmed', '--to', 'nobody', '--data', 'data.json'], 4, 'to[0] is not a valid address'],
    [['send', 'booking-confirmd', '--to', 'a@b.example'], 4, 'Did you mean "booking-confirmed"?'],
    [['send', 'booking-confirmed'], 2, 'Give --to ADDRESS'],
    [['send', 'booking-confirmed', '--to', 'a@b.example', '--label', 'x'], 2, '--label name=value'],
    [['messages', 'show', 'm0'], 4, 'no such message'],
    [['mesages'], 2, 'Did you mean messages?'],
    [['messages', 'list', '--limit', '0'], 2, 'limit'],
  ])('%j', async (args, code, words) => {
    const ran = await verbalis(args);
    expect(ran.err).toContain(words);
    expect(ran.code).toBe(code);
  });

  test('no service: 3; no key: 2; a wrong key: 4', async () => {
    expect(await verbalis(['messages', 'list'], { env: { VERBALIS_URL: `http://127.0.0.1:${await freePort()}` } })).toMatchObject({
      code: 3,
      err: expect.stringContaining('verbalis serve'),
    });
    expect(await verbalis(['messages', 'list'], { env: { VERBALIS_KEY: 'wrong' } })).toMatchObject({
      code: 4,
      err: expect.stringContaining('not known'),
    });
    const without = spawnSync(process.execPath, [CLI, 'messages', 'list'], {
      cwd: folder.path,
      env: { PATH: process.env['PATH'] },
      encoding: 'utf8',
    });
    expect(without).toMatchObject({ status: 2, stderr: expect.stringContaining('VERBALIS_KEY') });
  });

  test('.env is read', async () => {
    writeFileSync(join(folder.path, '.env'), `VERBALIS_URL=${all.service.url}\nVERBALIS_KEY=${all.key}\n`);
    const ran = spawnSync(process.execPath, [CLI, 'messages', 'list', '--json'], {
      cwd: folder.path,
      env: { PATH: process.env['PATH'] },
      encoding: 'utf8',
      timeout: 100,
    });
    // The service lives in this very process, which is held by spawnSync: that it was asked at all is what is seen.
    expect(ran.stderr).not.toContain('No key is set');
    writeFileSync(join(folder.path, '.env'), '');
  });
});

test('queue: hold, look, count, cancel, release; what is unclear is refused with status 2', async () => {
  const env = { VERBALIS_KEY: OPERATOR };
  const queue = (...args: string[]): Promise<Ran> => verbalis(['queue', ...args, '--space', 'harbour'], { env });
  const held = await queue('hold', '--template', 'booking-confirmed', '--label', 'from=held', '--reason', 'wrong prices');
  expect(held.out).toBe('0 deliveries held, and whatever else comes of template booking-confirmed, label from=held.\n');
  const id = /queue release (h\w+)/.exec(held.err)?.[1];
  const data = join(folder.path, 'held.json');
  writeFileSync(data, JSON.stringify(booking('x@y.example').data));
  for (const to of ['a@post.example', 'b@post.example'])
    await verbalis(['send', 'booking-confirmed', '--to', to, '--data', data, '--label', 'from=held']);
  await until(async () => ((await queue('holds')).out.includes('  2  ') ? true : undefined));
  expect((await queue('holds')).out).toMatch(/template booking-confirmed, label from=held\s+2\s.*wrong prices/);
  expect((await queue()).out).toMatch(/bookings\s+essential\s+queued\s+2\s+0\s+2/);
  const count = await queue('cancel', '--label', 'from=held');
  expect(count).toMatchObject({ code: 0, out: '2 deliveries of label from=held would be canceled. Nothing was: repeat it with --yes.\n' });
  expect((await queue('cancel', '--domain', 'post.example', '--yes')).out).toBe('2 deliveries canceled.\n');
  expect((await queue('release', id!)).out).toBe('The hold is over; 0 deliveries may go.\n');
  expect(await queue('release', '--all')).toMatchObject({ code: 4, err: expect.stringContaining('no such hold') });
  for (const args of [['hold'], ['hold', '--all', '--topic', 'x'], ['cancel', '--edition', 'x'], ['release', '--label', 'x']])
    expect(await queue(...args)).toMatchObject({ code: 2 });
});

test('a reader that has read enough is no error', () => {
  const script = `"${process.execPath}" "${CLI}" --help | true; echo "\${PIPESTATUS[0]}"`;
  const { stdout, stderr } = spawnSync('bash', ['-c', script], { encoding: 'utf8' });
  expect({ stdout, stderr }).toEqual({ stdout: '0\n', stderr: '' });
});

test('every command has help with an example', async () => {
  for (const command of [
    ['check'],
    ['render'],
    ['send'],
    ['messages', 'list'],
    ['messages', 'show'],
    ['serve'],
    ['keys', 'add'],
    ['demo'],
  ]) {
    const { code, out } = await verbalis([...command, '--help']);
    expect(code).toBe(0);
    expect(out).toContain('For example');
  }
});

describe('serve', () => {
  const config = (text: string): string => {
    const file = join(folder.path, `${Math.random().toString(36).slice(2)}.yaml`);
    writeFileSync(file, text);
    return file;
  };
  test('every fault of the configuration at once, with hints', async () => {
    const file = config(
      'listn: { port: 1 }\nlisten: { port: nine }\nspaces:\n  harbour: { mode: deliver, mailFolder: x, route: [relais] }\n',
    );
    const { code, err } = await verbalis(['serve', '--config', file], { env: { VERBALIS_LISTEN_PRT: '1' } });
    expect(code).toBe(2);
    expect(err).toContain('listn: is not a setting. Did you mean "listen"?');
    expect(err).toContain('listen.port:');
    expect(err).toContain('VERBALIS_LISTEN_PRT: names no setting. Did you mean "VERBALIS_LISTEN_PORT"?');
    const second = await verbalis(['serve', '--config', config('spaces:\n  harbour: { mode: deliver, mailFolder: x, route: [relais] }\n')]);
    expect(second.err).toContain('spaces.harbour.route: names no provider: "relais"');
  });
  test('a port in use names the option', async () => {
    const port = new URL(all.service.url).port;
    const { code, err } = await verbalis(['serve', '--config', config('returns: { port: 0 }\nspaces: {}\n')], {
      env: { VERBALIS_LISTEN_PORT: port },
    });
    expect(code).toBe(2);
    expect(err).toContain(`Port ${port} on 127.0.0.1 is in use. Set another as listen.port (VERBALIS_LISTEN_PORT)`);
  });
  test('a mail folder with errors keeps the service from starting, and says where', async () => {
    const { code, err } = await verbalis([
      'serve',
      '--config',
      config(`listen: { port: 0 }\nreturns: { port: 0 }\nspaces:\n  dock: { mode: capture, mailFolder: ${folder.path}/broken }\n`),
    ]);
    expect(code).toBe(2);
    expect(err).toContain('message.md:23:24  error unknown-field');
  });
  test.each(['SIGINT', 'SIGTERM'] as const)('ends cleanly on %s', async (signal) => {
    const child = spawn(
      process.execPath,
      [CLI, 'serve', '--json', '--config', config('listen: { port: 0 }\nreturns: { port: 0 }\nspaces: {}\n')],
      { cwd: folder.path, env: { PATH: process.env['PATH'] } },
    );
    await new Promise((ready) => child.stdout.once('data', ready));
    child.kill(signal);
    expect(await new Promise((done) => child.on('close', done))).toBe(0);
  });
});

test('doctor: says what must be done and exits with 1, of a configuration and of a running service', async () => {
  const { path, remove } = temporaryFolder();
  const file = join(path, 'verbalis.yaml');
  writeFileSync(file, 'listen: { host: 0.0.0.0, port: 0 }\nspaces: { harbour: { mode: capture } }\n');
  const before = await verbalis(['doctor', '--config', file]);
  expect(before.code).toBe(1);
  expect(before.out).toContain('✕ must    The console and the API can be reached from other machines without TLS');
  expect(before.out).toContain('! should  No backups are made');
  // It has made nothing.
  expect(readdirSync(path)).toEqual(['verbalis.yaml']);
  writeFileSync(file, 'listen: { port: 0 }\nspaces: { harbour: { mode: capture } }\n');
  expect((await verbalis(['doctor', '--config', file])).code).toBe(0);
  remove();
  const running = await verbalis(['doctor', '--url', all.service.url, '--key', OPERATOR, '--json']);
  expect(running.code).toBe(1);
  const { findings } = resultOf<{ findings: { code: string; level: string }[] }>(running.out);
  expect(findings).toContainEqual(expect.objectContaining({ code: 'public-url', level: 'must' }));
});

test('people and audit: someone is invited, gets another role, is removed, and all of it has its entry', async () => {
  const asOperator = ['--url', all.service.url, '--key', OPERATOR];
  const wrong = await verbalis(['people', 'invite', 'vera.holm@saltmarsh-ferries.example', '--role', 'harbour=viewr', ...asOperator]);
  expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining('"harbour=viewr" is not a valid role.')]);
  const invited = await verbalis([
    'people',
    'invite',
    'vera.holm@saltmarsh-ferries.example',
    '--role',
    'harbour=viewer',
    '--link',
    ...asOperator,
  ]);
  expect(invited.out).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/sign-in#token=\S+\n$/);
  const changed = await verbalis(['people', 'role', 'vera.holm@saltmarsh-ferries.example', '--role', '*=member', ...asOperator]);
  expect(changed.out).toBe('vera.holm@saltmarsh-ferries.example: every space: member. This holds from now on.\n');
  expect((await verbalis(['people', 'list', ...asOperator])).out).toMatch(
    /vera\.holm@saltmarsh-ferries\.example +every space: member +never/,
  );
  expect((await verbalis(['people', 'remove', 'vera.holm@saltmarsh-ferries.example', '--yes', ...asOperator])).code).toBe(0);
  const log = await verbalis(['audit', '--service', '--action', 'people.', ...asOperator]);
  expect(log.out.match(/people\.\w+/g)).toEqual(['people.remove', 'people.change', 'people.invite']);
});

test('demo --once: every delivery ends as scripted', async () => {
  const dir = join(folder.path, 'demo');
  const { code, out } = await verbalis(['demo', '--once', '--dir', dir, '--port', String(await freePorts(13))]);
  expect(out).not.toContain('NOT as scripted');
  expect(out.match(/as scripted/g)).toHaveLength(16);
  expect(code).toBe(0);

  // Another one, at ports that are taken: nothing that is there is touched.
  const taken = createServer().listen(0, '127.0.0.1');
  await once(taken, 'listening');
  const { port } = taken.address() as AddressInfo;
  const before = readdirSync(dir).sort();
  expect(await verbalis(['demo', '--once', '--dir', join(folder.path, 'second'), '--port', String(port)])).toMatchObject({
    code: 2,
    // Another test may have one of those after it.
    err: expect.stringMatching(new RegExp(`The ports? .*\\b${port}\\b.* (?:is|are) in use\\.`)),
  });
  taken.close();
  expect(readdirSync(dir).sort()).toEqual(before);
});

test('a message with copies and a date; the same key is the same message; moved, canceled, and its bytes', async () => {
  const sample = join(DEMO_FOLDER, 'templates/refund-receipt/samples/typical.json');
  const send = ['send', 'refund-receipt', '--to', 'planned@post.example', '--data', sample, '--json'];
  const more = ['--cc', 'copy@post.example', '--reply-to', 'office@post.example', '--not-before', '2027-03-01T08:00:00Z'];
  const keyed = [...send, ...more, '--idempotency-key', 'refund-1'];
  const { id } = resultOf<{ id: string }>((await verbalis(keyed)).out);
  expect(resultOf<{ id: string }>((await verbalis(keyed)).out).id).toBe(id);
  expect(await all.client.messages.get(id)).toMatchObject({ cc: [{ address: 'copy@post.example' }], deliveries: [{}, {}] });
  expect((await verbalis(['queue', 'planned'])).out).toContain('2027-03-01T08:00:00.000Z  planned@post.example');
  expect((await verbalis(['messages', 'reschedule', id, '--not-before', '2027-04-01T08:00:00Z'])).out).toBe('Moved: 2.\n');
  expect((await verbalis(['messages', 'cancel', id])).out).toBe('Canceled: 2.\n');
  expect(await verbalis(['messages', 'cancel', id])).toMatchObject({ code: 1, out: 'Canceled: 0; too late for 2.\n' });

  const failed = await verbalis(['send', 'refund-receipt', '--to', 'refused@post.example', '--data', sample, '--wait']);
  expect(failed).toMatchObject({ code: 1, err: expect.stringContaining('refused@post.example') });
  const sent = resultOf<{ id: string }>((await verbalis([...send, '--wait'])).out);
  expect((await verbalis(['messages', 'source', sent.id])).out).toContain('To: planned@post.example');
});

test('the key from a file, the space from the environment', async () => {
  const file = join(folder.path, 'key');
  writeFileSync(file, `${all.key}\n`);
  const list = ['messages', 'list', '--json'];
  expect(await verbalis([...list, '--key-file', file], { env: { VERBALIS_KEY: 'wrong' } })).toMatchObject({ code: 0 });
  const operator = { VERBALIS_KEY: OPERATOR };
  expect(await verbalis(list, { env: operator })).toMatchObject({ code: 4, err: expect.stringContaining('names no space') });
  expect(await verbalis(list, { env: { ...operator, VERBALIS_SPACE: 'harbour' } })).toMatchObject({ code: 0 });
  writeFileSync(file, 'two words\n');
  expect(await verbalis([...list, '--key-file', file])).toMatchObject({ code: 2, err: expect.stringContaining('must hold one key') });
  expect(await verbalis([...list, '--key-file', join(folder.path, 'none')])).toMatchObject({ code: 2 });
});

test('capture: one command, and what an app sends by SMTP is there to wait for; it leaves nothing behind', async () => {
  const child = spawn(process.execPath, [CLI, 'capture', '--json', '--port', '0', '--smtp-port', '0'], {
    env: { PATH: process.env['PATH'], TMPDIR: folder.path },
  });
  let out = '';
  child.stdout.on('data', (bytes: Buffer) => (out += bytes.toString()));
  const where = resultOf<{ url: string; smtpHost: string; smtpPort: number; key: string; page: string }>(
    await until(() => (out.includes('\n') ? out : undefined)),
  );
  expect(where.page).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/sign-in#token=/);
  const waiting = fetch(`${where.url}/v1/captured/wait?to=asa@post.example&seconds=30`, {
    headers: { authorization: `Bearer ${where.key}` },
  });
  const connection = new SmtpConnection({ host: where.smtpHost, port: where.smtpPort, helloName: 'app.example' });
  expect(await connection.open()).toBe('ready');
  const mail = writeMail({
    from: { name: '', local: 'app', domain: 'app.example' },
    to: [{ name: '', local: 'asa', domain: 'post.example' }],
    subject: 'Your code',
    messageId: 'x@app.example',
    date: Date.now(),
    text: 'Your code is 493 027.\n',
    boundary: '=_x',
  });
  await connection.deliver({ from: 'app@app.example', to: 'asa@post.example' }, mail);
  connection.close();
  expect(await (await waiting).json()).toMatchObject({ subject: 'Your code', codes: ['493027'] });
  child.kill('SIGINT');
  expect(await once(child, 'exit')).toEqual([0, null]);
  expect(readdirSync(folder.path).filter((name) => name.startsWith('verbalis-capture-'))).toEqual([]);
  expect(await verbalis(['capture', '--smtp-port', 'x'])).toMatchObject({ code: 2, err: expect.stringContaining('"x" is not a port') });
});

test('a demo removes what a demo made, and nothing else', async () => {
  const dir = join(folder.path, 'not-a-demo');
  mkdirSync(dir);
  writeFileSync(join(dir, 'thesis.txt'), 'three years of work');
  // At ports of its own: a demo may run here.
  const port = ['--port', String(await freePorts(13))];
  expect(await verbalis(['demo', '--once', '--dir', dir, ...port])).toMatchObject({
    code: 2,
    err: expect.stringContaining('has files that no demo has made, such as "thesis.txt"'),
  });
  expect(readdirSync(dir)).toEqual(['thesis.txt']);
  expect(await verbalis(['demo', '--keep', '--dir', join(folder.path, 'nowhere'), ...port])).toMatchObject({
    code: 2,
    err: expect.stringContaining('There is no earlier demo'),
  });
  expect(await verbalis(['demo', '--port', 'x', '--dir', join(folder.path, 'nowhere')])).toMatchObject({ code: 2 });
});

test('a demo that runs keeps its files, whatever the second one is asked to do', async () => {
  const dir = join(folder.path, 'running');
  mkdirSync(dir);
  for (const name of ['.verbalis-demo', 'verbalis.sqlite', 'verbalis.secrets.json', 'chat.json']) writeFileSync(join(dir, name), '');
  const lock = lockFile(join(dir, 'verbalis.sqlite'));
  const before = readdirSync(dir).sort();
  for (const option of ['--once', '--keep', '--no-weeks'])
    expect(await verbalis(['demo', option, '--dir', dir, '--port', String(await freePorts(13))])).toMatchObject({
      code: 2,
      err: expect.stringContaining(`A demo is running in ${dir}.`),
    });
  expect(readdirSync(dir).sort()).toEqual(before);
  lock.release();
});

test('returns read: one line an email, also of mbox files and Maildirs, without a service', async () => {
  const samples = join(ROOT, 'tests/fixtures/returns/hand');
  const file = join(samples, 'generic-status.eml');
  const { code, out } = await verbalis(['returns', 'read', file, '--json']);
  expect(code).toBe(0);
  expect(resultOf(out)).toEqual({
    file,
    kind: 'delivery-status',
    token: 'd01abc-xyz',
    originalMessageId: 'm01@saltmarsh-ferries.example',
    envelopeId: null,
    feedbackType: null,
    recipients: [
      {
        address: 'asa@post.example',
        action: 'failed',
        status: '5.1.1',
        replyCode: 550,
        cause: 'mailbox-unknown',
        permanent: true,
        diagnostic: '550 5.1.1 <asa@post.example>... User unknown',
      },
    ],
  });
  const named = await verbalis(['returns', 'read', file, '--json', '--envelope-to', 'bounce+tok@us.example']);
  expect(resultOf(named.out)).toMatchObject({ token: 'tok' });
  const maildir = join(folder.path, 'Maildir');
  for (const name of ['new', 'cur', 'tmp']) mkdirSync(join(maildir, name), { recursive: true });
  writeFileSync(join(maildir, 'new/1'), readFileSync(file));
  writeFileSync(join(maildir, 'cur/2:2,S'), readFileSync(join(samples, 'vacation.eml')));
  const mbox = join(folder.path, 'all.mbox');
  writeFileSync(
    mbox,
    `From a@b.example Mon Mar  2 09:00:00 2026\n${readFileSync(file, 'latin1')}\nFrom a@b.example Mon Mar  2 09:00:00 2026\n${readFileSync(join(samples, 'complaint.eml'), 'latin1')}\n`,
    'latin1',
  );
  const many = await verbalis(['returns', 'read', maildir, mbox, '--json']);
  expect(
    many.out
      .trim()
      .split('\n')
      .map((line) => resultOf<{ kind: string }>(line).kind),
  ).toEqual(['auto-reply', 'delivery-status', 'delivery-status', 'complaint']);
  const shown = await verbalis(['returns', 'read', file]);
  expect(shown.out).toContain('✗ asa@post.example  failed  550 5.1.1  mailbox-unknown, permanent (sure: “user unknown”)');
  expect(await verbalis(['returns', 'read', 'nowhere.eml'])).toMatchObject({ code: 2, err: expect.stringContaining('There is no file') });
});
