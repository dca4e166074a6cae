import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { ChangeCapture, changeWriter, groupChanges, layoutOf } from './change-log.js';
import { GroupCommit } from './group-commit.js';
import { SILENT, steppedClock } from './test-kernel.js';
import { Connection } from './transaction.js';

const folder = mkdtempSync(join(tmpdir(), 'verbalis-changes-'));
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
});

const TABLES = `
  create table notes (id text primary key not null, text text, bytes blob, n integer, part real, "odd ""name" text);
  create table pairs (a text not null, b integer not null, c text unique, primary key (a, b));
  create table parts (id integer primary key autoincrement not null, note text references notes (id));
`;
let files = 0;

/** A file whose changes are captured, and a copy that they are written to. */
function captured() {
  const [raw, copy] = [0, 1].map(() => {
    const own = new Sqlite(join(folder, `${(files += 1)}.sqlite`));
    own.exec(TABLES);
    own.exec('create table change_log (seq integer primary key autoincrement not null, at integer not null, changes text not null)');
    return own;
  }) as [Sqlite.Database, Sqlite.Database];
  raw.pragma('foreign_keys = ON');
  const capture = new ChangeCapture(raw);
  const changes = groupChanges(raw, capture, steppedClock(7));
  const group = new GroupCommit(new Connection(raw), { log: SILENT, changes });
  capture.start();
  const rows = (of: Sqlite.Database) =>
    Object.keys(layoutOf(of)).map((table) => of.prepare(`select * from "${table}" order by 1, 2`).raw().all());
  return {
    raw,
    capture,
    group,
    run: (sql: string, ...values: unknown[]) => raw.prepare(sql).run(...values),
    /** The copy, once it has every record. */
    same: (): void => {
      const write = changeWriter(copy, layoutOf(raw));
      copy.pragma('foreign_keys = OFF');
      for (const text of raw.prepare('select changes from change_log order by seq').pluck().all() as string[]) write(text);
      expect(rows(copy)).toEqual(rows(raw));
    },
    records: () => raw.prepare('select count(*) from change_log').pluck().get() as number,
  };
}

test('rows of every kind, changed in every way, are the same in a copy', async () => {
  const { group, run, same } = captured();
  await group.write(() => {
    run('insert into notes values (?, ?, ?, ?, ?, ?)', 'a', 'é\0 "x" \u{1F6A2}', Buffer.from([0, 255, 10]), 2 ** 53, 5, 'odd');
    run('insert into notes values (?, ?, ?, ?, ?, ?)', 'b', null, null, -1, 0.1 + 0.2, null);
    run('insert into notes values (?, ?, ?, ?, ?, ?)', 'c', '', Buffer.alloc(0), 0, -0, '');
    run('insert into notes (id, text) values (?, ?)', 'half a pair', '\ud83d and \ude00');
  });
  await group.write(() => {
    run("update notes set id = 'd', n = 3 where id = 'b'");
    run("insert into pairs values ('x', 1, 'u'), ('x', 2, 'v')");
    // What REPLACE removes is another row than the one it writes.
    run("insert or replace into pairs values ('y', 1, 'u')");
    run("insert into pairs values ('x', 2, 'w') on conflict (a, b) do update set c = excluded.c");
    run("insert into pairs values ('x', 2, 'z') on conflict do nothing");
    run("insert into parts (note) values ('a'), ('d')");
    run('delete from parts where id = 2');
  });
  same();
});

test('what was undone is not in the log: a member, a statement, the whole group', async () => {
  const { raw, group, run, same, records } = captured();
  const add = (id: string) => run('insert into notes (id) values (?)', id);
  const members = [
    group.write(() => add('kept')),
    group.write(() => {
      add('undone');
      throw new Error('no');
    }),
    group.write(() => {
      // A statement that fails in its third row, and one that fails by a foreign key, in a member that goes on.
      expect(() => run("insert into notes (id) values ('one'), ('two'), ('kept')")).toThrow(/UNIQUE/);
      expect(() => run("insert into parts (note) values ('nobody')")).toThrow(/FOREIGN KEY/);
      add('after');
    }),
  ];
  expect((await Promise.allSettled(members)).map(({ status }) => status)).toEqual(['fulfilled', 'rejected', 'fulfilled']);
  expect(raw.prepare('select changes from change_log').pluck().all()).toEqual([
    JSON.stringify([
      ['+', 'notes', 'kept', null, null, null, null, null],
      ['+', 'notes', 'after', null, null, null, null, null],
    ]),
  ]);
  await expect(
    group.write(() => {
      add('alone');
      throw new Error('no');
    }),
  ).rejects.toThrow('no');
  // A commit that fails: a constraint that is looked at only then.
  raw.exec('create table late (id integer primary key, note text references notes (id) deferrable initially deferred)');
  await expect(
    group.write(() => {
      add('lost');
      raw.exec("insert into late values (1, 'nobody')");
    }),
  ).rejects.toThrow();
  await group.write(() => add('last'));
  expect(records()).toBe(2);
  raw.exec('drop table late');
  same();
});

test('nothing is captured where nobody follows, and a write that changes nothing makes no record', async () => {
  const { raw, capture, group, run, records } = captured();
  await group.write(() => run("update notes set n = 1 where id = 'nobody'"));
  expect(records()).toBe(0);
  capture.stop();
  await group.write(() => run("insert into notes (id) values ('x')"));
  expect(records()).toBe(0);
  expect(raw.prepare("select count(*) from temp.sqlite_master where type = 'trigger'").pluck().get()).toBe(0);
  expect(raw.prepare("select count(*) from sqlite_master where type = 'trigger'").pluck().get()).toBe(0);
});

test('a table without a key is refused, since its rows cannot be known apart', () => {
  const raw = new Sqlite(':memory:');
  raw.exec('create table bare (text text)');
  expect(() => layoutOf(raw)).toThrow('The table bare has no primary key');
});

test('a change of a table that does not exist is refused', () => {
  const raw = new Sqlite(':memory:');
  raw.exec(TABLES);
  expect(() => changeWriter(raw, layoutOf(raw))('[["+","gone",1]]')).toThrow('"gone" cannot be written');
});
