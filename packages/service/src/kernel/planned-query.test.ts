import { expect, test } from '@jest/globals';
import Sqlite from 'better-sqlite3';
import { eq, getTableColumns, sql, type SQL } from 'drizzle-orm';
import { drizzle, type BetterSQLite3Database } from 'drizzle-orm/better-sqlite3';
import { alias, blob, integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';
import fc from 'fast-check';
import { Connection } from './transaction.js';

const things = sqliteTable('things', {
  id: integer().primaryKey(),
  words: text(),
  size: integer(),
  isOpen: integer({ mode: 'boolean' }),
  at: integer({ mode: 'timestamp_ms' }),
  data: text({ mode: 'json' }).$type<unknown>(),
  bytes: blob({ mode: 'buffer' }),
  more: blob({ mode: 'json' }).$type<unknown>(),
});

/** The same rows behind Drizzle alone, and behind a connection of ours. */
function both() {
  const open = () => {
    const raw = new Sqlite(':memory:');
    raw.exec(
      'create table things (id integer primary key, words text, size integer, isOpen integer, at integer, data text, bytes blob, more blob)',
    );
    return raw;
  };
  return { plain: drizzle(open()), planned: new Connection(open()).db };
}
type Db = BetterSQLite3Database;

const given = Object.fromEntries(Object.keys(getTableColumns(things)).map((name) => [name, sql.placeholder(name)])) as never;
const queries = (db: Db) => ({
  insert: db.insert(things).values(given).prepare(),
  update: db
    .update(things)
    .set({ words: sql`${sql.placeholder('words')}`, size: 7 })
    .where(eq(things.id, sql.placeholder('id')))
    .prepare(),
  whole: db
    .select()
    .from(things)
    .where(eq(things.id, sql.placeholder('id')))
    .prepare(),
  some: db
    .select({
      words: things.words,
      long: sql<number>`length(${things.words})`,
      twice: sql<number>`${things.size} * 2`.mapWith(String).as('twice'),
      data: things.data,
    })
    .from(things)
    .orderBy(things.id)
    .prepare(),
  joined: db
    .select()
    .from(things)
    .leftJoin(alias(things, 'other'), eq(things.size, alias(things, 'other').id))
    .prepare(),
  nested: db
    .select({ id: things.id, in: { words: things.words, at: things.at } })
    .from(things)
    .prepare(),
});

const aRow = fc.record({
  words: fc.option(fc.string({ unit: 'binary' }).map((word) => word.replaceAll('\0', '').toWellFormed())),
  size: fc.option(fc.integer({ min: -2, max: 3 })),
  isOpen: fc.boolean(),
  at: fc.date({ min: new Date(0), max: new Date('2100-01-01'), noInvalidDate: true }),
  data: fc.jsonValue(),
  bytes: fc.option(fc.uint8Array().map((bytes) => Buffer.from(bytes))),
  more: fc.jsonValue(),
});

test('a planned query gives what Drizzle gives, for each kind of column and result', () => {
  fc.assert(
    fc.property(fc.array(aRow, { maxLength: 4 }), (rows) => {
      const { plain, planned } = both();
      const [expected, found] = [plain, planned].map((db) => {
        const { insert, update, whole, some, joined, nested } = queries(db);
        const changes = rows.map((row, i) => insert.run({ id: i, ...row }).changes);
        changes.push(update.run({ id: 0, words: 'changed' }).changes);
        const built = db
          .select()
          .from(things)
          .where(sql`${things.id} >= ${1}`)
          .all();
        const raw = db.all(sql`select * from things where id < ${2}`);
        return [
          changes,
          whole.get({ id: 0 }),
          whole.all({ id: 1 }),
          whole.values({ id: 1 }),
          some.all(),
          some.get(),
          joined.all(),
          nested.all(),
          built,
          raw,
        ];
      });
      expect(found).toEqual(expected);
    }),
  );
});

test('a row that is not there is undefined, and a value that is missing an error', () => {
  const { planned } = both();
  const { whole, insert } = queries(planned);
  expect(whole.get({ id: 5 })).toBeUndefined();
  expect(() => whole.get({})).toThrow('No value for placeholder "id" was provided');
  expect(() => whole.all()).toThrow('No value for placeholder "id" was provided');
  expect(() => insert.run({ id: 1 })).toThrow('No value for placeholder');
});

test('a union has the columns of its first part', () => {
  const { plain, planned } = both();
  const words = (where: SQL) => (db: Db) => db.select({ words: things.words, isOpen: things.isOpen }).from(things).where(where);
  const [expected, found] = [plain, planned].map((db) => {
    db.insert(things)
      .values([
        { id: 1, words: 'a', isOpen: true },
        { id: 2, words: 'b', isOpen: false },
      ])
      .run();
    return words(eq(things.id, 1))(db)
      .unionAll(words(eq(things.id, 2))(db))
      .all();
  });
  expect(found).toEqual([
    { words: 'a', isOpen: true },
    { words: 'b', isOpen: false },
  ]);
  expect(found).toEqual(expected);
});
