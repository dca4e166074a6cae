import { expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { sql } from 'drizzle-orm';
import { integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';
import { Connection } from './transaction.js';

const notes = sqliteTable('notes', { id: integer().primaryKey(), words: text().notNull() });

function opened() {
  const raw = new Sqlite(':memory:');
  raw.exec("create table notes (id integer primary key, words text not null); insert into notes values (1, 'one'), (2, 'two')");
  const prepared: string[] = [];
  const prepare = raw.prepare.bind(raw);
  raw.prepare = (source: string) => {
    prepared.push(source);
    return prepare(source);
  };
  return { raw, prepared, db: new Connection(raw).db };
}

const first = ({ db }: ReturnType<typeof opened>) =>
  db
    .select()
    .from(notes)
    .where(sql`${notes.id} = ${1}`)
    .get();

test('a query that is built with every call is prepared once', () => {
  const all = opened();
  for (let i = 0; i < 5; i += 1) expect(first(all)).toEqual({ id: 1, words: 'one' });
  expect(all.prepared).toHaveLength(1);
});

test('the same text gives objects to one caller and values to another, in any order', () => {
  const { db } = opened();
  const objects = () => db.all(sql`select words from notes order by id`);
  const values = () => db.values(sql`select words from notes order by id`);
  for (let i = 0; i < 2; i += 1) {
    expect(objects()).toEqual([{ words: 'one' }, { words: 'two' }]);
    expect(values()).toEqual([['one'], ['two']]);
    expect(objects()).toEqual([{ words: 'one' }, { words: 'two' }]);
  }
});

test('tables that change under a kept statement are seen, and a failure leaves it usable', () => {
  const all = opened();
  const { raw, db } = all;
  const names = () => db.all(sql`select * from notes where id = 1`);
  expect(names()).toEqual([{ id: 1, words: 'one' }]);
  raw.exec("alter table notes add column place text default 'Pier 2'");
  expect(names()).toEqual([{ id: 1, words: 'one', place: 'Pier 2' }]);
  const add = (id: number) => db.insert(notes).values({ id, words: 'more' }).run();
  add(3);
  expect(() => add(3)).toThrow(/UNIQUE/);
  add(4);
  raw.exec('drop table notes');
  expect(() => first(all)).toThrow(/no such table/);
  raw.exec("create table notes (id integer primary key, words text not null); insert into notes values (1, 'anew')");
  expect(first(all)).toEqual({ id: 1, words: 'anew' });
});

test('what was used longest ago is prepared again, and nothing is lost by it', () => {
  const all = opened();
  const long = (i: number) => all.db.get(sql`select ${sql.raw(String(i % 3))} as n -- ${sql.raw('x'.repeat(5000))}`);
  for (let i = 0; i < 300; i += 1) expect(long(i)).toEqual({ n: i % 3 });
  expect(all.prepared).toHaveLength(3);
  const other = (i: number) => all.db.get(sql`select ${sql.raw(String(i))} as n -- ${sql.raw('x'.repeat(5000))}`);
  for (let i = 0; i < 300; i += 1) expect(other(i)).toEqual({ n: i });
  expect(other(299)).toEqual({ n: 299 });
  expect(all.prepared).toHaveLength(300);
  expect(long(0)).toEqual({ n: 0 });
  expect(all.prepared).toHaveLength(301);
});

test('a text of many rows is not kept', () => {
  const all = opened();
  const add = (from: number) =>
    all.db
      .insert(notes)
      .values(Array.from({ length: 1000 }, (_, i) => ({ id: from + i, words: 'x' })))
      .run();
  add(100);
  add(5000);
  expect(all.prepared.length).toBe(2);
  expect(all.db.get(sql`select count(*) as n from notes`)).toEqual({ n: 2002 });
});
