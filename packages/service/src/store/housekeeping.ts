import type Sqlite from 'better-sqlite3';
import { idSince } from './ids.js';

/** Rows that one step takes away, so that no step holds the file for long. */
const STEP = 500;

export type Housekeeping = ReturnType<typeof housekeeping>;

/** What is done to the whole file. */
export function housekeeping(raw: Sqlite.Database) {
  const finished = `select m.id from messages m where m.id < ? and not exists
    (select 1 from deliveries d where d.message_id = m.id and d.next_attempt_at is not null) limit ${STEP}`;
  return {
    /** Takes away the bytes of mails that were made before. @returns how many; fewer than a step's worth means that it is done */
    forgetMails(before: number): number {
      return raw
        .prepare(
          `delete from mails where delivery_id in (select d.id from deliveries d join mails m on m.delivery_id = d.id where d.created_at < ? and d.next_attempt_at is null limit ${STEP})`,
        )
        .run(before).changes;
    },

    /** Takes away what came back before. */
    forgetReturns(bytesBefore: number, before: number): number {
      // Ids sort by time, so the oldest are the first.
      raw
        .prepare(`update returns set bytes = x'' where id in (select id from returns where id < ? and length(bytes) > 0 limit ${STEP})`)
        .run(idSince('r', bytesBefore));
      return raw.prepare(`delete from returns where id in (select id from returns where id < ? limit ${STEP})`).run(idSince('r', before))
        .changes;
    },

    /** Takes away messages that were accepted before and wait for nothing, with all that is known of them. */
    forgetMessages(before: number): number {
      return raw.transaction(() => {
        const ids = raw.prepare(finished).pluck().all(idSince('m', before)) as string[];
        if (ids.length === 0) return 0;
        const list = JSON.stringify(ids);
        const of = 'select id from deliveries where message_id in (select value from json_each(?))';
        for (const table of ['facts', 'attempts', 'mails', 'counted'])
          raw.prepare(`delete from ${table} where delivery_id in (${of})`).run(list);
        const kept = raw
          .prepare(
            "select content_id from attachments where content_id is not null and message_id in (select value from json_each(?)) union select json_extract(more, '$.raw') from messages where id in (select value from json_each(?))",
          )
          .pluck()
          .all(list, list) as (string | null)[];
        raw.prepare('delete from attachments where message_id in (select value from json_each(?))').run(list);
        raw.prepare('delete from idempotency where message_id in (select value from json_each(?))').run(list);
        raw.prepare('delete from deliveries where message_id in (select value from json_each(?))').run(list);
        raw.prepare('delete from messages where id in (select value from json_each(?))').run(list);
        for (const id of kept) {
          const used = raw
            .prepare(
              'select 1 from attachments where content_id = ? union all select 1 from uploads where content_id = ? union all select 1 from captured where content_id = ?',
            )
            .get(id, id, id);
          if (id === null || used !== undefined) continue;
          raw.prepare('delete from content_pieces where content_id = ?').run(id);
          raw.prepare('delete from contents where id = ?').run(id);
        }
        return ids.length;
      })();
    },

    /** Copies the running database to a file; a copy is whole at any moment it is cut off or done. */
    async backup(file: string): Promise<void> {
      await raw.backup(file);
    },
  };
}
