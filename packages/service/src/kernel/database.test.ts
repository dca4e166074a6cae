import { chmodSync, cpSync, mkdtempSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { sql } from 'drizzle-orm';
import { openKernel, type Kernel } from './database.js';
import { kernelState } from './tables.js';
import { SYSTEM_CLOCK } from './clock.js';
import { verifyCopy } from './snapshot.js';
import { notesFile, SILENT } from './test-kernel.js';
import { Connection, reading, Reads, writing, type Tx } from './transaction.js';

const MIGRATIONS = fileURLToPath(new URL('../../drizzle', import.meta.url));
const newFile = (): string => join(mkdtempSync(join(tmpdir(), 'verbalis-database-')), 'a.sqlite');
const open = (file: string): Promise<Kernel> => openKernel({ file, migrations: MIGRATIONS, log: SILENT, clock: SYSTEM_CLOCK });

const epochs = reading((db) => db.select().from(kernelState).prepare());
const raise = writing((db) =>
  db
    .update(kernelState)
    .set({ epoch: sql`epoch + 100` })
    .prepare(),
);

test('each start is a new epoch, and a second service on the same file is refused before anything has changed', async () => {
  const file = newFile();
  const first = await open(file);
  await expect(open(file)).rejects.toThrow('Another Verbalis service is running');
  expect([first.epoch, epochs(first.reads).get()?.epoch]).toEqual([1, 1]);
  await first.close();
  const second = await open(file);
  expect(second.epoch).toBe(2);
  await second.close();
});

test('a query reads through its transaction, which sees what it has written; reading past it is refused meanwhile', async () => {
  const kernel = await open(newFile());
  const seen = await kernel.write((tx) => {
    raise(tx).run();
    expect(() => epochs(kernel.reads).get()).toThrow('reads through the transaction');
    expect(() => kernel.reads.db).toThrow('reads through the transaction');
    return epochs(tx).get()?.epoch;
  });
  expect([seen, epochs(kernel.reads).get()?.epoch]).toEqual([101, 101]);
  let late: Tx | undefined;
  await kernel.write((tx) => {
    late = tx;
  });
  expect(() => raise(late as Tx)).toThrow('has ended');
  await kernel.close();
});

test('outside of a transaction nothing is written', async () => {
  const kernel = await open(newFile());
  expect(() => raise(kernel.reads as unknown as Tx).run()).toThrow('Outside of a transaction nothing is written: update "kernel_state"');
  await kernel.close();
});

test('a database belongs to its owner alone', async () => {
  const file = newFile();
  const kernel = await open(file);
  // Nobody else on the machine reads what is in it.
  for (const name of ['', '-wal', '-shm']) expect(statSync(`${file}${name}`).mode & 0o777).toBe(0o600);
  await kernel.close();
  chmodSync(file, 0o644);
  await (await open(file)).close();
  expect(statSync(file).mode & 0o777).toBe(0o600);
});

test('what cannot be opened says why, and what to do', async () => {
  const text = newFile();
  writeFileSync(text, 'this is no database '.repeat(200));
  await expect(open(text)).rejects.toThrow(`The database ${text} cannot be used: The database file is damaged. Restore it from a backup.`);

  const foreign = newFile();
  const other = new Sqlite(foreign);
  other.exec('create table notes (text text)');
  other.close();
  await expect(open(foreign)).rejects.toThrow(`${foreign} is a database of another program.`);

  const newer = newFile();
  await (await open(newer)).close();
  const later = new Sqlite(newer);
  later.exec("insert into __drizzle_migrations (hash, created_at) values ('later', 9999999999999)");
  later.close();
  await expect(open(newer)).rejects.toThrow(/was written by another version of Verbalis/);
  // Nothing was changed, and nothing stays locked.
  const again = new Sqlite(newer);
  expect(again.prepare('select epoch from kernel_state').pluck().get()).toBe(1);
  again.exec("delete from __drizzle_migrations where hash = 'later'");
  again.close();
  await (await open(newer)).close();
});

test('torn pages stop the start with a sentence', async () => {
  const file = newFile();
  const kernel = await open(file);
  await kernel.close();
  const bytes = Buffer.from((await import('node:fs')).readFileSync(file));
  bytes.fill(0xff, 100, 4000);
  writeFileSync(file, bytes);
  await expect(open(file)).rejects.toThrow(/cannot be used: The database file is damaged/);
});

test('before an upgrade changes the tables, the database is copied beside it: the version before can go on with the copy', async () => {
  const file = newFile();
  await (await open(file)).close();
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-migrations-'));
  cpSync(MIGRATIONS, folder, { recursive: true });
  const journal = JSON.parse(readFileSync(join(folder, 'meta/_journal.json'), 'utf8')) as { entries: { when: number }[] };
  const first = journal.entries.at(-1);
  journal.entries.push({ ...first!, idx: journal.entries.length, tag: '9999_more', when: first!.when + 1 } as never);
  writeFileSync(join(folder, 'meta/_journal.json'), JSON.stringify(journal));
  writeFileSync(join(folder, '9999_more.sql'), 'create table more (id integer primary key);');
  const upgraded = await openKernel({ file, migrations: folder, log: SILENT, clock: SYSTEM_CLOCK });
  expect(upgraded.epoch).toBe(2);
  await upgraded.close();
  const old = `${file}.before-upgrade-${first!.when}`;
  expect(verifyCopy(old).layout).toBe(first!.when);
  // The version before refuses the new file, and takes the copy.
  await expect(open(file)).rejects.toThrow('written by another version of Verbalis');
  const back = await open(old);
  expect(back.epoch).toBe(2);
  await back.close();
  // A start that changes nothing copies nothing.
  await (await openKernel({ file, migrations: folder, log: SILENT, clock: SYSTEM_CLOCK })).close();
  expect(readdirSync(dirname(file)).filter((name) => name.includes('before-upgrade') && name.endsWith('.json'))).toHaveLength(1);
});

test('between transactions the connection that writes is read from; while its changes wait to be stored, another one', async () => {
  const writer = notesFile();
  const reading = new Connection(writer.raw, true);
  const other = new Connection(writer.other, true);
  const reads = new Reads({ writer: reading, other: () => other, isWriting: () => writer.group.running });
  expect(reads.connection).toBe(reading);
  writer.raw.exec('begin immediate');
  writer.insert.run('not committed');
  expect(reads.connection).toBe(other);
  expect(reads.db.all(sql`select text from notes`)).toEqual([]);
  writer.raw.exec('commit');
  expect(reads.connection).toBe(reading);
  expect(reads.db.all(sql`select text from notes`)).toEqual([{ text: 'not committed' }]);
});
