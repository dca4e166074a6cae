import { createHash, randomBytes } from 'node:crypto';
import { and, asc, desc, eq, gt, isNull, lte, or, sql } from 'drizzle-orm';
import { reading, type Reader, type Tx } from '../../kernel/index.js';
import { people, roles, sessions, type Role } from './tables.js';

export type PersonRow = typeof people.$inferSelect;
export type RoleRow = typeof roles.$inferSelect;
export type SessionRow = typeof sessions.$inferSelect;
/** What a person may do in a space. */
export interface Grant {
  readonly role: Role;
  readonly content: boolean;
}

/** A session that nobody uses ends after so long, in milliseconds. */
const IDLE_MS = 3 * 86_400_000;
/**
 * What was made further in the future, in milliseconds, was made while the clock was wrong. Its end is wrong with it: a link for a quarter of an
 * hour would work for as long as the clock was ahead. Less than this is a time server at work.
 */
const AHEAD_MS = 5 * 60_000;

/** A secret that cannot be guessed. */
export function newSecret(): string {
  return randomBytes(32).toString('base64url');
}

function hashOf(secret: string): string {
  return createHash('sha256').update(secret).digest('hex');
}

/** People, their roles, and their sessions. Secrets are kept as hashes only. */
export function peopleStore(reads: Reader) {
  const byHash = reading((db) =>
    db
      .select()
      .from(sessions)
      .where(and(eq(sessions.hash, sql.placeholder('hash')), eq(sessions.kind, sql.placeholder('kind'))))
      .prepare(),
  );
  const grants = reading((db) =>
    db
      .select()
      .from(roles)
      .where(eq(roles.personId, sql.placeholder('personId')))
      .prepare(),
  );
  const isLive = (now: number) =>
    and(gt(sessions.expiresAt, now), gt(sessions.lastSeenAt, now - IDLE_MS), lte(sessions.createdAt, now + AHEAD_MS));
  return {
    add(tx: Tx, person: PersonRow): void {
      tx.db.insert(people).values(person).run();
    },

    change(tx: Tx, id: string, change: Partial<Pick<PersonRow, 'name' | 'lastSignInAt' | 'issuer' | 'subject'>>): void {
      tx.db.update(people).set(change).where(eq(people.id, id)).run();
    },

    /** Removes a person, with their roles and sessions. */
    remove(tx: Tx, id: string): void {
      tx.db.delete(people).where(eq(people.id, id)).run();
    },

    find(id: string, from: Reader = reads): PersonRow | undefined {
      return from.db.select().from(people).where(eq(people.id, id)).get();
    },

    /** @param email in small letters */
    byEmail(email: string, from: Reader = reads): PersonRow | undefined {
      return from.db.select().from(people).where(eq(people.email, email)).get();
    },

    bySubject(issuer: string, subject: string, from: Reader = reads): PersonRow | undefined {
      return from.db
        .select()
        .from(people)
        .where(and(eq(people.issuer, issuer), eq(people.subject, subject)))
        .get();
    },

    all(from: Reader = reads): PersonRow[] {
      return from.db.select().from(people).orderBy(asc(people.email)).all();
    },

    /** What a person may do, by space; "*" for every space. */
    grantsOf(personId: string, from: Reader = reads): ReadonlyMap<string, Grant> {
      return new Map(
        grants(from)
          .all({ personId })
          .map(({ space, role, content }) => [space, { role, content }]),
      );
    },

    setGrants(tx: Tx, personId: string, given: ReadonlyMap<string, Grant>): void {
      tx.db.delete(roles).where(eq(roles.personId, personId)).run();
      for (const [space, grant] of given)
        tx.db
          .insert(roles)
          .values({ personId, space, ...grant })
          .run();
    },

    /** A new session or link. @param secret of {@link newSecret}; only its hash is kept */
    open(tx: Tx, row: Omit<SessionRow, 'hash' | 'lastSeenAt'>, secret: string): void {
      tx.db
        .insert(sessions)
        .values({ ...row, lastSeenAt: row.createdAt, hash: hashOf(secret) })
        .run();
    },

    /** The session or link of a secret, if it is still good. */
    opened(kind: SessionRow['kind'], secret: string, now: number, from: Reader = reads): SessionRow | undefined {
      const row = byHash(from).get({ hash: hashOf(secret), kind });
      if (row === undefined || row.expiresAt <= now || row.createdAt > now + AHEAD_MS) return undefined;
      return kind === 'session' && row.lastSeenAt <= now - IDLE_MS ? undefined : row;
    },

    /** @returns whether there was one */
    close(tx: Tx, id: string): boolean {
      return tx.db.delete(sessions).where(eq(sessions.id, id)).run().changes > 0;
    },

    closeAllOf(tx: Tx, personId: string): number {
      return tx.db.delete(sessions).where(eq(sessions.personId, personId)).run().changes;
    },

    /** Links of a person that were not used. */
    closeLinksOf(tx: Tx, personId: string): number {
      return tx.db
        .delete(sessions)
        .where(and(eq(sessions.personId, personId), eq(sessions.kind, 'link')))
        .run().changes;
    },

    seen(tx: Tx, id: string, lastSeenAt: number, address: string): void {
      tx.db.update(sessions).set({ lastSeenAt, address }).where(eq(sessions.id, id)).run();
    },

    /** Sessions that are open, used last first. @param personId null: those of the operator's secret; undefined: all */
    sessions(now: number, personId?: string | null, from: Reader = reads): SessionRow[] {
      const whose = personId === undefined ? undefined : personId === null ? isNull(sessions.personId) : eq(sessions.personId, personId);
      return from.db
        .select()
        .from(sessions)
        .where(and(eq(sessions.kind, 'session'), isLive(now), whose))
        .orderBy(desc(sessions.lastSeenAt))
        .all();
    },

    session(id: string, now: number, from: Reader = reads): SessionRow | undefined {
      return from.db
        .select()
        .from(sessions)
        .where(and(eq(sessions.id, id), eq(sessions.kind, 'session'), isLive(now)))
        .get();
    },

    /** Removes sessions and links that have ended. @returns how many */
    forget(tx: Tx, now: number): number {
      const over = or(lte(sessions.expiresAt, now), and(eq(sessions.kind, 'session'), lte(sessions.lastSeenAt, now - IDLE_MS)));
      return tx.db.delete(sessions).where(over).run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface PeopleRecords {
  readonly people: ReturnType<typeof peopleStore>;
}
