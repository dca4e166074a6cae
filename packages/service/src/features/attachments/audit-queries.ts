import { sql } from 'drizzle-orm';
import { auditing, type Auditor } from '../../kernel/index.js';

/** A content that takes longer than this to come in is left over from one that was cut off: retention removes it after a day. */
const UNFINISHED_MS = 2 * 24 * 3_600_000;

/** Whether contents are whole. @param now milliseconds since the epoch */
export const contentsWhole =
  (now: number): Auditor =>
  (from) => {
    const audit = auditing('contents, by their pieces');
    const rows = from.db.all<{ id: string; hash: string | null; size: number; stored: number; createdAt: number }>(
      sql`select id, hash, size, created_at as createdAt, (select coalesce(sum(length(bytes)), 0) from content_pieces where content_id = contents.id) as stored from contents`,
    );
    for (const { id, hash, size, stored, createdAt } of rows) {
      audit.looked();
      if (hash === null && createdAt < now - UNFINISHED_MS) audit.wrong(`The content ${id} never came in whole, and was not removed.`);
      else if (hash !== null && stored !== size) audit.wrong(`The content ${id} has ${stored} bytes; ${size} came in.`);
    }
    for (const { id } of from.db.all<{ id: string }>(
      sql`select distinct content_id as id from content_pieces where content_id not in (select id from contents)`,
    ))
      audit.wrong(`There are pieces of the content ${id}, which does not exist.`);
    return audit.result();
  };

/** Whether everything that refers to a content finds it, and each content is referred to. */
export const contentsUsed: Auditor = (from) => {
  const audit = auditing('contents, by who refers to them');
  const users = sql`
    select content_id as id, 'an attachment of ' || message_id as user from attachments where content_id is not null
    union all select content_id, 'the upload ' || id from uploads
    union all select content_id, 'the captured email ' || id from captured where content_id is not null
    union all select more ->> '$.raw', 'the message ' || id from messages where more ->> '$.raw' is not null`;
  audit.looked(from.db.get<{ n: number }>(sql`select count(*) as n from contents`).n);
  for (const { id, user } of from.db.all<{ id: string; user: string }>(
    sql`select id, user from (${users}) where id not in (select id from contents)`,
  ))
    audit.wrong(`The content ${id} is missing: ${user} refers to it.`);
  for (const { id } of from.db.all<{ id: string }>(
    sql`select id from contents where hash is not null and id not in (select id from (${users}))`,
  ))
    audit.wrong(`Nothing refers to the content ${id}.`);
  return audit.result();
};
