import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { openDatabase } from './database.js';
import { GroupCommit } from './group-commit.js';

function twoOnOneFile() {
  const file = join(mkdtempSync(join(tmpdir(), 'verbalis-group-')), 'a.sqlite');
  const { raw } = openDatabase(file);
  raw.exec('create table notes (text text not null unique)');
  const other = new Sqlite(file);
  const add = raw.prepare('insert into notes values (?)');
  return { raw, other, group: new GroupCommit(raw), add, all: () => raw.prepare('select text from notes order by text').pluck().all() };
}

test('while another process writes, other work is done here, and then ours is written', async () => {
  const { other, group, add, all } = twoOnOneFile();
  other.exec("begin immediate; insert into notes values ('theirs')");
  const done = group.write(() => add.run('ours'));
  // Were this process to wait for the other, it could not go on here, and the other would never end.
  for (let turn = 0; turn < 5; turn += 1) await wait(1);
  expect(other.inTransaction).toBe(true);
  other.exec('commit');
  await done;
  expect(all()).toEqual(['ours', 'theirs']);
});

test('one that throws does not touch the others, also of those that waited for another process', async () => {
  const { other, group, add, all } = twoOnOneFile();
  other.exec("begin immediate; insert into notes values ('b')");
  const results = Promise.allSettled(['a', 'b', 'c'].map((text) => group.write(() => add.run(text))));
  await wait(5);
  other.exec('commit');
  expect((await results).map((one) => one.status)).toEqual(['fulfilled', 'rejected', 'fulfilled']);
  expect(all()).toEqual(['a', 'b', 'c']);
});

test('a file that is closed is told to who waits', async () => {
  const { raw, group, add } = twoOnOneFile();
  const done = group.write(() => add.run('late'));
  raw.close();
  await expect(done).rejects.toThrow(/not open/);
});
