import { sql } from 'drizzle-orm';
import type { Reader } from '../../kernel/index.js';
import type { RecordFacts } from './facts.js';

/** Attempts that are looked at for what a provider has accepted. */
const MOST_ATTEMPTS = 20_000;

/** What the records say of how the service is set up. Columns are named in SQL: it also reads a file that no service has open. */
export function recordsFor(
  reads: Reader,
  now: number,
): RecordFacts & {
  readonly accepting: ReadonlySet<string>;
  readonly troubles: ReadonlyMap<string, string>;
  readonly signed: ReadonlySet<string>;
  readonly published: ReadonlySet<string>;
} {
  const { db } = reads;
  const count = (query: ReturnType<typeof sql>): number => db.get<{ n: number }>(query).n;
  const newest = db.get<{ at: number | null }>(
    sql`select max(created_at) as at from (select created_at from messages order by id desc limit 100)`,
  );
  return {
    activeKeys: count(sql`select count(*) as n from keys where revoked_at is null and (expires_at is null or expires_at > ${now})`),
    people: count(sql`select count(*) as n from people`),
    quarantined: count(sql`select count(*) as n from quarantine`),
    newestAt: newest.at ?? undefined,
    accepting: new Set(
      db
        .all<{ provider: string }>(
          sql`select distinct provider from (select provider, outcome from attempts order by rowid desc limit ${MOST_ATTEMPTS}) where outcome = 'accepted'`,
        )
        .map(({ provider }) => provider),
    ),
    troubles: new Map(
      db
        .all<{ name: string; why: string | null }>(
          sql`select name, trouble_why as why from provider_states where trouble_since is not null`,
        )
        .map(({ name, why }) => [name, why ?? '']),
    ),
    signed: new Set(
      db
        .all<{ domain: string }>(
          sql`select distinct domain from signing_keys where signs_from is not null and retired_at is null and lost_at is null`,
        )
        .map(({ domain }) => domain),
    ),
    published: new Set(db.all<{ space: string }>(sql`select distinct space from editions`).map(({ space }) => space)),
  };
}
