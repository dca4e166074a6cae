// Millions of messages in minutes: some are written by the store, as always, and copies of their rows follow with ids, dates, addresses and
// references of their own. Indexes are made when all rows are there.
import Sqlite from 'better-sqlite3';
import { historyRows } from './rows.mjs';

const SAMPLES = 4000;
const STEP = 20_000;
/** The tables that a message has rows in, each after those that it refers to. */
const TABLES = ['messages', 'deliveries', 'attempts', 'facts', 'events'];
const ID = /^[mda]01[0-9a-z]{24}/;

/** Column by column, what a copy has in place of a value. */
function copier(names) {
  return (row, { ids, delta, number, sample }) =>
    names.map((name) => {
      const value = row[name];
      if (name === 'seq') return null;
      if (typeof value === 'number') return value > 1e12 ? value + delta : value;
      if (typeof value !== 'string') return value;
      const old = ID.exec(value)?.[0];
      if (old !== undefined) return ids(old) + value.slice(old.length);
      return value.replaceAll(`SM-${sample}`, `SM-${number}`).replaceAll(/guest\d+@/g, `guest${number % 250_000}@`);
    });
}

/**
 * Writes messages as `historyRows` does, into a file that no service has open.
 * @param open opens the store of a file, with the tables of this version
 */
export async function manyRows(file, open, { messages, from, to, space }) {
  const { newId } = await import('../../packages/service/dist/kernel/index.js');
  const some = Math.min(SAMPLES, messages);
  const step = (to - from) / messages;
  const store = await open(file);
  await historyRows(store, { messages: some, from, to: from + step * some, space });
  await store.close();
  if (some === messages) return;
  const db = new Sqlite(file);
  db.pragma('journal_mode = OFF');
  db.pragma('synchronous = OFF');
  db.pragma('cache_size = -2000000');
  db.pragma('foreign_keys = OFF');
  const list = TABLES.map((table) => `'${table}'`).join(',');
  const later = db
    .prepare(`select name, type, sql from sqlite_master where tbl_name in (${list}) and type in ('index', 'trigger') and sql is not null`)
    .all();
  for (const { name, type } of later) db.exec(`drop ${type} "${name}"`);
  const tables = TABLES.map((table) => {
    const rows = db.prepare(`select * from ${table} order by rowid`).all();
    const names = Object.keys(rows[0]);
    return {
      rows,
      copy: copier(names),
      insert: db.prepare(`insert into ${table} (${names.map((n) => `"${n}"`)}) values (${names.map(() => '?')})`),
    };
  });
  // The rows of each sample, in the order in which they were written.
  const owner = new Map();
  const [ofMessages, ofDeliveries, ofAttempts] = tables;
  ofMessages.rows.forEach((row, i) => owner.set(row.id, i));
  ofDeliveries.rows.forEach((row) => owner.set(row.id, owner.get(row.message_id)));
  ofAttempts.rows.forEach((row) => owner.set(row.id, owner.get(row.delivery_id)));
  const samples = Array.from({ length: some }, () => tables.map(() => []));
  tables.forEach(({ rows }, t) => {
    for (const row of rows) samples[owner.get(row.delivery_id ?? row.id)][t].push(row);
  });
  for (let at = some; at < messages; at += STEP) {
    db.exec('begin');
    for (let number = at; number < Math.min(messages, at + STEP); number += 1) {
      const sample = number % some;
      const now = Math.floor(from + step * number);
      const made = new Map();
      const ids = (old) => {
        const known = made.get(old) ?? newId(old[0], now);
        made.set(old, known);
        return known;
      };
      const how = { ids, delta: Math.round(step * (number - sample)), number, sample };
      tables.forEach(({ copy, insert }, t) => {
        for (const row of samples[sample][t]) insert.run(copy(row, how));
      });
    }
    db.exec('commit');
  }
  for (const { sql } of later) db.exec(sql);
  db.exec('analyze');
  // They would be counted beside what is measured, for minutes.
  db.exec("insert into cursors select 'figures', max(seq) from events where true on conflict (name) do update set seq = excluded.seq");
  db.pragma('journal_mode = WAL');
  db.close();
}
