import { RefusedError } from '@verbalis/client';
import type Sqlite from 'better-sqlite3';
import type { Mail } from './mail.js';

/**
 * Case 2: a changed record. A trigger writes what happened into an outbox, in the transaction that changes the record: there is no change
 * without its signal, and no signal without its change. Each signal carries data of two records, the booking and its sailing.
 */
export const TABLES = `
create table sailings (id integer primary key, origin text not null, destination text not null, departs_at text not null);
create table bookings (reference text primary key, sailing integer not null references sailings, name text not null, address text not null);
create table outbox (n integer primary key autoincrement, type text not null, data text not null, at text not null);
create table refused (n integer primary key, type text not null, data text not null, at text not null, why text not null);

create trigger sailing_moved after update of departs_at on sailings when new.departs_at <> old.departs_at begin
  insert into outbox (type, data, at)
  select 'sailing.moved', json_object(
    'booking', json_object('reference', reference, 'name', name, 'address', address),
    'sailing', json_object('from', new.origin, 'to', new.destination, 'departsAt', new.departs_at, 'before', old.departs_at)
  ), strftime('%Y-%m-%dT%H:%M:%fZ')
  from bookings where sailing = new.id;
end;
`;

const AT_ONCE = 500;

const isRefused = (error: unknown): error is RefusedError => error instanceof RefusedError && error.problem.status === 422;

interface OutboxRow {
  readonly n: number;
  readonly type: string;
  readonly data: string;
  readonly at: string;
}

/**
 * Hands what is in the outbox to the mail service, a batch at a time, and removes what it has. Killed in between, it hands the same over
 * again: source and id say that it is the same.
 * @param source names this outbox: another database has another one
 * @returns how many signals it handed over
 */
export async function emptyOutbox(db: Sqlite.Database, mail: Mail, source = '/ferries.sqlite/outbox'): Promise<number> {
  let handed = 0;
  for (;;) {
    const rows = db.prepare('select n, type, data, at from outbox order by n limit ?').all(AT_ONCE) as OutboxRow[];
    const last = rows.at(-1);
    if (last === undefined) return handed;
    const batch = rows.map(({ n, type, data, at }) => ({
      specversion: '1.0',
      id: String(n),
      source,
      type,
      time: at,
      data: JSON.parse(data) as unknown,
    }));
    const take = (signals: readonly object[]) =>
      mail.signals.take(new Blob([JSON.stringify(signals)], { type: 'application/cloudevents-batch+json' }));
    try {
      await take(batch);
      handed += rows.length;
    } catch (error) {
      if (!isRefused(error)) throw error;
      // A batch is taken as a whole: one record that does not fit must not hold up the others, nor be lost.
      for (const [i, signal] of batch.entries())
        try {
          await take([signal]);
          handed += 1;
        } catch (fault) {
          if (!isRefused(fault)) throw fault;
          db.prepare('insert or replace into refused select n, type, data, at, ? from outbox where n = ?').run(fault.message, rows[i]?.n);
        }
    }
    db.prepare('delete from outbox where n <= ?').run(last.n);
  }
}
