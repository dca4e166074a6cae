import Sqlite from 'better-sqlite3';

/** How many messages of another database file are not in this one; undefined where it cannot be read. */
export function missingMessages(file: string, other: string): number | undefined {
  const raw = new Sqlite(file, { readonly: true });
  try {
    raw.prepare('attach database ? as other').run(other);
    return raw.prepare('select count(*) from other.messages where id not in (select id from main.messages)').pluck().get() as number;
  } catch {
    // It may be damaged: that may be why something is restored.
    return undefined;
  } finally {
    raw.close();
  }
}
