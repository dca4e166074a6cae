import { execFileSync, spawnSync } from 'node:child_process';
import {
  closeSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, describe, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { backupDatabase, checkIntegrity, restoreDatabase, startService } from '@verbalis/service';
import { openCopy, snapshotThread, SYSTEM_CLOCK, takeSnapshot, verifyCopy } from '@verbalis/service/kernel';
import { openStore } from '@verbalis/service/records';
import { readConfig } from '@verbalis/service/settings';
import Sqlite from 'better-sqlite3';
import { pino } from 'pino';
import { LIMITS } from './support/limits.js';
import { booking, OPERATOR, ROOT, startTestService, temporaryFolder, until } from './support/service.js';
import { hashesOf } from './support/tables.js';
import { scaled } from './support/scale.js';

const all = temporaryFolder();
afterAll(all.remove);
const opened: (() => unknown)[] = [];
afterEach(async () => {
  for (const close of opened.splice(0).reverse()) await close();
});
let n = 0;
const newFile = (): string => join(all.path, `copy${(n += 1)}.sqlite`);

async function started(change: Record<string, unknown> = {}) {
  const own = await startTestService({ change: { outside: { allow: ['127.0.0.1'] }, ...change } });
  let isStopped = false;
  const stop = async (): Promise<void> => {
    if (!isStopped) await own.service.stop();
    isStopped = true;
  };
  opened.push(own.stop, stop);
  const config = readConfig(join(own.folder, 'verbalis.yaml'), {});
  return { own, config, stop, operator: createClient({ url: own.service.url, key: OPERATOR, space: 'harbour' }) };
}

test(
  'a backup of a large database that is written to all the time ends, and has what it had at one moment',
  async () => {
    const MIB = scaled(16, 120);
    const file = join(all.path, 'busy.sqlite');
    const store = await openStore(file, { log: pino({ level: 'silent' }), clock: SYSTEM_CLOCK, captureChanges: true });
    opened.push(store.close);
    await store.changes.begin(Symbol('test'));
    for (let i = 0; i < MIB; i += 1) await store.write((tx) => store.contents.keep(tx, Buffer.alloc(1 << 20, i), i));
    const first = newFile();
    const from = takeSnapshot(file, first, Date.now());
    const snapshots = snapshotThread(file, SYSTEM_CLOCK);
    opened.push(snapshots.stop);
    let [isDone, writes] = [false, 0];
    const begun = performance.now();
    const second = newFile();
    const taken = snapshots.take(second).finally(() => (isDone = true));
    while (!isDone) {
      await store.write((tx) => {
        const { id } = store.contents.keep(tx, Buffer.from(`write ${(writes += 1)}`), writes);
        if (writes % 3 === 0) store.contents.drop(tx, id);
      });
    }
    const to = await taken;
    const seconds = (performance.now() - begun) / 1000;
    process.stderr.write(`backup: ${MIB} MiB in ${seconds.toFixed(1)} s, ${Math.round(writes / seconds)} writes/s meanwhile\n`);
    expect(writes).toBeGreaterThan(0);
    // What was written before its moment is in it, and nothing after that: by the log of changes.
    const copy = openCopy(first, store.changes.layout().tables);
    for (const record of store.changes.after(from.sequence, { bytes: Number.MAX_SAFE_INTEGER, records: Number.MAX_SAFE_INTEGER }))
      if (record.seq <= to.sequence) copy.write(record);
    copy.end();
    copy.close();
    expect(hashesOf(first)).toEqual(hashesOf(second));
    expect(verifyCopy(second)).toEqual(to);
  },
  LIMITS.longTest,
);

describe('backups that the service makes by itself', () => {
  test('are made, listed, and removed when there are newer ones; what else lies there stays', async () => {
    const folder = join(all.path, 'backups');
    const { own, operator } = await started({ backup: { folder, keep: 2, everyHours: 1 } });
    await until(async () => ((await operator.backups.list()).backups.length === 1 ? true : undefined));
    writeFileSync(join(folder, 'mine.sqlite'), 'x');
    const made = [await operator.backups.add(), await operator.backups.add()];
    expect((await operator.backups.list()).backups).toEqual(made);
    expect(readdirSync(folder).filter((name) => name.startsWith('verbalis-'))).toHaveLength(4);
    expect(readFileSync(join(folder, 'mine.sqlite'), 'utf8')).toBe('x');
    expect(statSync(folder).mode & 0o777).toBe(0o700);
    const metrics = await (await fetch(`${own.service.url}/metrics`)).text();
    expect(metrics).toMatch(/verbalis_backup_last_timestamp_seconds 1\.\d+e\+09|verbalis_backup_last_timestamp_seconds \d{10}/);
  });

  test('one that cannot be made is an alert, and refused with the reason', async () => {
    const folder = join(all.path, 'a-file');
    writeFileSync(folder, 'x');
    const { operator } = await started({ backup: { folder: join(folder, 'in-it') } });
    await until(async () => ((await operator.alerts.list()).alerts.some(({ rule }) => rule === 'backups') ? true : undefined));
    await expect(operator.backups.add()).rejects.toMatchObject({
      problem: { status: 507, detail: expect.stringMatching(/ENOTDIR|EEXIST/) as unknown },
    });
  });
});

test('a folder that hangs holds up nothing else', async () => {
  const folder = join(all.path, 'hangs');
  mkdirSync(folder);
  // Whoever opens a pipe waits until someone writes to it, as with a share that does not answer.
  const pipe = join(folder, 'verbalis-20260101T000000000Z.sqlite.json');
  writeFileSync(join(folder, 'verbalis-20260101T000000000Z.sqlite'), '');
  execFileSync('mkfifo', [pipe]);
  const { own, operator, stop } = await started({ backup: { folder } });
  expect(await operator.backups.list()).toMatchObject({ problem: `The folder ${folder} does not answer.`, backups: [] });
  // The service works on, and ends.
  await own.client.messages.send(booking('ida@example.com'));
  await stop();
  // Threads that still wait would keep this process from ending.
  closeSync(openSync(pipe, 'r+'));
});

describe('a restore is refused, and changes nothing', () => {
  test('while a service runs, with other secrets, without secrets, from what is not whole', async () => {
    const { own, config, stop } = await started();
    const file = newFile();
    backupDatabase(config, file);
    const database = join(own.folder, 'verbalis.sqlite');
    const secrets = join(own.folder, 'verbalis.secrets.json');
    const restore = (from = file) => restoreDatabase({ config, source: { backup: from }, replace: true });
    await expect(restore()).rejects.toThrow('Another Verbalis service is running');
    await stop();
    const before = hashesOf(database);
    const whole = readFileSync(secrets, 'utf8');
    writeFileSync(secrets, JSON.stringify({ ...JSON.parse(whole), master: 'x'.repeat(43) }));
    await expect(restore()).rejects.toThrow('made with other secrets');
    // Nor does a service start with them.
    await expect(startService({ config, operatorSecret: OPERATOR })).rejects.toThrow('was made with other secrets');
    rmSync(secrets);
    await expect(restore()).rejects.toThrow('is missing');
    writeFileSync(secrets, whole, { mode: 0o600 });
    const other = newFile();
    copyFileSync(file, other);
    await expect(restore(other)).rejects.toThrow('manifest');
    copyFileSync(`${file}.json`, `${other}.json`);
    const bytes = readFileSync(other);
    bytes[9000] = (bytes[9000] ?? 0) ^ 1;
    writeFileSync(other, bytes);
    await expect(restore(other)).rejects.toThrow('is not what was written');
    expect(hashesOf(database)).toEqual(before);
    expect(readdirSync(own.folder).filter((name) => /restoring|before/.test(name))).toEqual([]);
    // With everything right it is done, and the database that was there is kept.
    const { replaced, held } = await restore();
    expect(held).toEqual({});
    expect(existsSync(replaced ?? '')).toBe(true);
    expect(statSync(database).mode & 0o777).toBe(0o600);
  });
});

test('what was erased after a backup is erased again; what came since stays', async () => {
  const { own, config, stop, operator } = await started();
  const { id } = await own.client.messages.send({ ...booking('asa@post.example'), labels: { who: 'asa@post.example' } });
  const other = await own.client.messages.send({ ...booking('bo@post.example'), labels: { who: 'asa@post.example' } });
  await own.ended(id, 'accepted');
  await own.ended(other.id, 'accepted');
  await operator.suppressions.add({ address: 'asa@post.example' });
  for (const address of ['asa@post.example', 'dee@post.example'])
    await operator.consents.add({ address, topic: 'pier-news', kind: 'left', source: `letter of ${address}` });
  // An erasure that ended before the copy is in it: who writes to the address again does not lose that.
  await own.client.messages.send(booking('cy@post.example')).then(({ id: of }) => own.ended(of, 'accepted'));
  await operator.addresses.erase('cy@post.example');
  const again = await own.client.messages.send(booking('cy@post.example'));
  await own.ended(again.id, 'accepted');
  const file = newFile();
  backupDatabase(config, file);
  for (const address of ['asa@post.example', 'dee@post.example']) await operator.addresses.erase(address);
  await stop();
  const { erased } = await restoreDatabase({ config, source: { backup: file }, replace: true });
  expect(erased).toBe(2);
  const database = join(own.folder, 'verbalis.sqlite');
  const text = readFileSync(database).toString('latin1').toLowerCase();
  for (const name of ['asa@post.example', 'dee@post.example']) expect([name, text.includes(name)]).toEqual([name, false]);
  expect(checkIntegrity(database, Date.now()).filter(({ wrong }) => wrong > 0)).toEqual([]);
  const service = await startService({ config, operatorSecret: OPERATOR });
  opened.push(() => service.stop());
  const client = createClient({ url: service.url, key: OPERATOR, space: 'harbour' });
  await expect(client.messages.get(id)).rejects.toMatchObject({ problem: { status: 404 } });
  expect((await client.messages.get(other.id)).labels).toEqual({ who: 'erased@erased.invalid' });
  expect((await client.messages.get(again.id)).deliveries[0]?.address).toBe('cy@post.example');
  // The suppressions are in force, under their hashes.
  const { topics, history } = await client.consents.get({ address: 'dee@post.example' });
  expect([topics.find(({ topic }) => topic === 'pier-news')?.wanted, history]).toEqual([false, []]);
  const refused = await client.messages.send(booking('asa@post.example'));
  await until(async () => ((await client.messages.get(refused.id)).deliveries[0]?.state === 'withheld' ? true : undefined));
});

describe('integrity', () => {
  test('a database of a service is right; whatever is wrong in it is found', async () => {
    const { own, config, stop, operator } = await started();
    const capturing = createClient({ url: own.service.url, key: OPERATOR, space: 'drydock' });
    for (let i = 0; i < 3; i += 1) await own.ended((await own.client.messages.send(booking(`a${i}@post.example`))).id, 'accepted');
    await capturing.messages.send({ ...booking('b@post.example'), attachments: [{ name: 'a.txt', content: 'eA==' }] });
    await until(() => (own.service.busy() ? undefined : true));
    await until(async () => ((await operator.figures.get({})).total.created === 3 ? true : undefined));
    await stop();
    const database = join(config.folder, config.settings.databaseFile);
    const wrong = (): string[] => checkIntegrity(database, Date.now()).flatMap(({ faults }) => faults);
    expect(wrong()).toEqual([]);
    const damage: readonly (readonly [sql: string, found: RegExp])[] = [
      ["update deliveries set state = 'failed' where rowid = 1", /is failed, but by its facts it is accepted/],
      ['update deliveries set attempts = 0 where rowid = 1', /counts 0 attempts, and has an attempt 1/],
      ["delete from figures where dimension = 'all' and measure = 'accepted'", /has no accepted \(all \) for the (hour|day)/],
      ["update figures set n = 1 where dimension = 'all' and measure = 'accepted'", /has 1 accepted \(all \).*; 3 are found/],
      ['delete from content_pieces', /has 0 bytes; 1 came in/],
      ['delete from attachments', /Nothing refers to the content/],
      ['delete from captured_words', /is not in the index/],
      ["update editions_in_use set number = 99 where space = 'harbour'", /Edition 99 of harbour is in use, and does not exist/],
      ['delete from blobs where rowid = 1', /The file .* of edition 1 of .* is missing/],
      ["insert into emails values ('dnobody', x'00')", /the delivery dnobody, which does not exist/],
      ["update deliveries set message_id = 'mnobody' where rowid = 1", /rows refer to rows that do not exist \(deliveries → messages\)/],
    ];
    const good = readFileSync(database);
    for (const [sql, found] of damage) {
      writeFileSync(database, good);
      const raw = new Sqlite(database);
      raw.pragma('foreign_keys = OFF');
      const { changes } = raw.prepare(sql).run();
      raw.pragma('wal_checkpoint(TRUNCATE)');
      raw.close();
      expect(changes).toBeGreaterThan(0);
      expect(wrong()).toContainEqual(expect.stringMatching(found));
    }
    const bytes = Buffer.from(good);
    bytes.fill(0xff, 3 * 4096, 9 * 4096);
    writeFileSync(database, bytes);
    expect(wrong()).toContainEqual(expect.stringMatching(/^SQLite: /));
  });
});

test('the commands say what they did, and end with the status that a script needs', async () => {
  const { own, stop, operator } = await started();
  await operator.providers.pause('relay');
  await own.client.messages.send(booking('asa@post.example'));
  const config = join(own.folder, 'verbalis.yaml');
  const run = (...args: string[]) => {
    const { status, stdout, stderr } = spawnSync(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), ...args], {
      env: { ...process.env, VERBALIS_URL: own.service.url, VERBALIS_KEY: OPERATOR, VERBALIS_OPERATOR_SECRET: OPERATOR, FORCE_COLOR: '0' },
      encoding: 'utf8',
    });
    return { status, text: stdout + stderr };
  };
  const file = newFile();
  // Each by itself: a process that is waited for so keeps this one, and the service in it, from answering.
  const backup = run('backup', file, '--config', config);
  expect(backup).toMatchObject({ status: 0, text: expect.stringContaining('1 messages, as of') as unknown });
  expect(run('backup', file, '--config', config)).toMatchObject({ status: 2, text: expect.stringContaining('exists already') as unknown });
  expect(run('integrity', file)).toMatchObject({
    status: 0,
    text: expect.stringContaining('✓ states of deliveries, by their facts: 1 looked at') as unknown,
  });
  expect(run('restore', file, '--config', config)).toMatchObject({ status: 2, text: expect.stringContaining('--replace') as unknown });
  expect(run('restore', '--config', config)).toMatchObject({ status: 2, text: expect.stringContaining('Name a backup') as unknown });
  expect(run('restore', '--from', own.folder, '--at', 'noon', '--config', config)).toMatchObject({ status: 2 });
  await stop();
  const restored = run('restore', file, '--replace', '--config', config);
  expect(restored.status).toBe(0);
  expect(restored.text).toMatch(/missing +what was accepted after that date: 0 messages of the database that it replaces/);
  expect(restored.text).toMatch(/held +1 delivery \(harbour: 1\): they may have been sent after that date/);
  const raw = new Sqlite(join(own.folder, 'verbalis.sqlite'));
  raw.prepare("update deliveries set state = 'failed'").run();
  raw.close();
  const integrity = run('integrity', '--config', config);
  expect(integrity).toMatchObject({
    status: 1,
    text: expect.stringMatching(/✗ states of deliveries.*1 wrong\n {4}d\w+ is failed, but by its facts it is queued/) as unknown,
  });
  expect(JSON.parse(run('integrity', '--json', '--config', config).text)).toMatchObject({
    ok: false,
    status: 1,
    result: { isGood: false },
  });
});
