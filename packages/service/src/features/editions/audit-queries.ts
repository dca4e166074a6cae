import { sql } from 'drizzle-orm';
import { auditing, type Auditor } from '../../kernel/index.js';

/** Whether the files of every edition are there, and no others. */
export const editionFiles: Auditor = (from) => {
  const audit = auditing('files of editions');
  const named = sql`select editions.space, editions.number, file.key as path, file.value as hash from editions, json_each(editions.manifest) as file`;
  audit.looked(from.db.get<{ n: number }>(sql`select count(*) as n from blobs`).n);
  for (const { space, number, path } of from.db.all<{ space: string; number: number; path: string }>(
    sql`select space, number, path from (${named}) where hash not in (select hash from blobs)`,
  ))
    audit.wrong(`The file ${path} of edition ${number} of ${space} is missing.`);
  for (const { hash } of from.db.all<{ hash: string }>(sql`select hash from blobs where hash not in (select hash from (${named}))`))
    audit.wrong(`Nothing refers to the file ${hash}.`);
  for (const { space, number } of from.db.all<{ space: string; number: number }>(
    sql`select space, number from editions_in_use u where not exists (select 1 from editions e where e.space = u.space and e.number = u.number)`,
  ))
    audit.wrong(`Edition ${number} of ${space} is in use, and does not exist.`);
  return audit.result();
};
