import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { ChangeCapture } from './change-capture.js';
import { layoutOf } from './change-layout.js';
import { groupChanges } from './change-log.js';
import { changeWriter, readRecords } from './change-records.js';
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
    own.exec(
      'create table change_log (seq integer primary key autoincrement not null, at integer not null, has_old integer not null, changes text not null)',
    );
    return own;
  }) as [Sqlite.Database, Sqlite.Database];
  raw.pragma('foreign_keys = ON');
  const capture = new ChangeCapture(raw);
  const changes = groupChanges(raw, { capture, clock: steppedClock(7), isKept: true });
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
      for (const { changes: text } of readRecords(raw, 0, { bytes: 1e9, records: 1e9 })) write(text);
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

test('a record is read with the bytes its row had then, even if the row has changed or is gone', async () => {
  const { raw, capture, group, run, same } = captured();
  const bytes = (n: number): Buffer => Buffer.alloc(5000, n);
  const put = (id: string, n: number) => run('insert into notes (id, bytes) values (?, ?)', id, bytes(n));
  await group.write(() => {
    put('stays', 1);
    put('changes', 2);
    put('moves', 3);
    put('goes', 4);
    put('goes at once', 5);
    run("delete from notes where id = 'goes at once'");
    put('goes at once', 6);
  });
  await group.write(() => {
    run("update notes set bytes = ?, n = 1 where id = 'changes'", bytes(7));
    run("update notes set n = 2 where id = 'stays'");
    run("update notes set id = 'moved' where id = 'moves'");
    run("delete from notes where id = 'goes'");
  });
  await Promise.allSettled([
    group.write(() => {
      put('undone', 8);
      throw new Error('no');
    }),
    group.write(() => put('kept', 9)),
  ]);
  await group.write(() => run("update notes set bytes = null where id = 'changes'"));
  expect((raw.prepare('select sum(length(changes)) from change_log').pluck().get() as number) < 60_000).toBe(true);
  // Each record has what its row had then: in a copy that ends at any of them.
  const at = [...readRecords(raw, 0, { bytes: 1e9, records: 1e9 })].map(({ changes }) =>
    (JSON.parse(changes) as [string, string, string, unknown, { base64: string } | null][]).map(([op, , id, , blob]) =>
      op === '-' ? `-${id}` : `${id}=${blob === null ? '' : (Buffer.from(blob.base64, 'base64')[0] ?? '')}`,
    ),
  );
  expect(at).toEqual([
    ['stays=1', 'changes=2', 'moves=3', 'goes=4', 'goes at once=5', '-goes at once', 'goes at once=6'],
    ['changes=7', 'stays=1', '-moves', 'moved=3', '-goes'],
    ['kept=9'],
    ['changes='],
  ]);
  // Once they are read, nothing is noted for them; and another run knows what is still to be read.
  capture.stop();
  capture.start();
  await group.write(() => run("delete from notes where id = 'kept'"));
  same();
  capture.read(Number.MAX_SAFE_INTEGER);
  await group.write(() => run("delete from notes where id = 'moved'"));
  expect(raw.prepare('select changes from change_log order by seq desc limit 1').pluck().get()).toBe('[["-","notes","moved"]]');
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
  // In one group, or in more where the machine stood still meanwhile.
  const logged = raw.prepare('select changes from change_log order by seq').pluck().all() as string[];
  expect(logged.flatMap((changes) => JSON.parse(changes) as unknown[])).toEqual([
    ['+', 'notes', 'kept', null, null, null, null, null],
    ['+', 'notes', 'after', null, null, null, null, null],
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
