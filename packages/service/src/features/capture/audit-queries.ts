import { sql } from 'drizzle-orm';
import { auditing, type Auditor } from '../../kernel/index.js';

/** Whether each captured email is in the index of words, and nothing else is. */
export const capturedIndexed: Auditor = (from) => {
  const audit = auditing('captured emails in the index of words');
  audit.looked(from.db.get<{ n: number }>(sql`select count(*) as n from captured`).n);
  // What FTS5 keeps of each row that is in an index without contents.
  for (const { seq } of from.db.all<{ seq: number }>(
    sql`select seq from captured where seq not in (select id from captured_words_docsize)`,
  ))
    audit.wrong(`The captured email ${seq} is not in the index.`);
  for (const { seq } of from.db.all<{ seq: number }>(
    sql`select id as seq from captured_words_docsize where id not in (select seq from captured)`,
  ))
    audit.wrong(`The index has the captured email ${seq}, which does not exist.`);
  return audit.result();
};
