import type { KeyTimes } from '@verbalis/core/domains';
import { and, eq, isNotNull, isNull, lt, ne, sql } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { domains, linkHosts, returnHosts, signingKeys } from './tables.js';

export type DomainRow = typeof domains.$inferSelect;
export type SigningKeyRow = typeof signingKeys.$inferSelect;
export type LinkHostRow = typeof linkHosts.$inferSelect;
export type ReturnHostRow = typeof returnHosts.$inferSelect;

/** Sending domains with their keys and the hosts of their return paths. */
export function domainStore(reads: Reader) {
  return {
    all(from: Reader = reads): DomainRow[] {
      return from.db.select().from(domains).orderBy(domains.name).all();
    },
    find(name: string, from: Reader = reads): DomainRow | undefined {
      return from.db.select().from(domains).where(eq(domains.name, name)).get();
    },
    insert(tx: Tx, row: Omit<DomainRow, 'sharedPages'>): void {
      tx.db.insert(domains).values(row).run();
    },
    change(tx: Tx, name: string, change: Partial<Pick<DomainRow, 'returnHost' | 'linkHost' | 'policy'>>): void {
      tx.db.update(domains).set(change).where(eq(domains.name, name)).run();
    },
    /** Ends all pages that show the domain without a sign-in. */
    endSharedPages(tx: Tx, name: string): void {
      tx.db
        .update(domains)
        .set({ sharedPages: sql`${domains.sharedPages} + 1` })
        .where(eq(domains.name, name))
        .run();
    },
    /** Removes a domain with its keys. */
    remove(tx: Tx, name: string): void {
      tx.db.delete(domains).where(eq(domains.name, name)).run();
      tx.db.delete(signingKeys).where(eq(signingKeys.domain, name)).run();
    },

    keys(from: Reader = reads): SigningKeyRow[] {
      return from.db.select().from(signingKeys).orderBy(signingKeys.domain, signingKeys.createdAt, signingKeys.selector).all();
    },
    addKey(tx: Tx, row: SigningKeyRow): void {
      tx.db.insert(signingKeys).values(row).run();
    },
    changeKey(tx: Tx, { domain, selector }: Pick<SigningKeyRow, 'domain' | 'selector'>, times: KeyTimes): void {
      const { publishedAt, signsFrom, lostAt } = times;
      tx.db
        .update(signingKeys)
        .set({ publishedAt, signsFrom, lostAt })
        .where(and(eq(signingKeys.domain, domain), eq(signingKeys.selector, selector)))
        .run();
    },
    /** Another key signs from now on: its private half is not needed any more. */
    retireKey(tx: Tx, { domain, selector }: Pick<SigningKeyRow, 'domain' | 'selector'>, now: number): void {
      tx.db
        .update(signingKeys)
        .set({ retiredAt: now, encrypted: Buffer.alloc(0) })
        .where(and(eq(signingKeys.domain, domain), eq(signingKeys.selector, selector)))
        .run();
    },
    removeKey(tx: Tx, { domain, selector }: Pick<SigningKeyRow, 'domain' | 'selector'>): void {
      tx.db
        .delete(signingKeys)
        .where(and(eq(signingKeys.domain, domain), eq(signingKeys.selector, selector)))
        .run();
    },

    linkHosts(from: Reader = reads): LinkHostRow[] {
      return from.db.select().from(linkHosts).orderBy(linkHosts.host).all();
    },
    setLinkHost(tx: Tx, row: LinkHostRow): void {
      const { domain, liveFrom } = row;
      tx.db.insert(linkHosts).values(row).onConflictDoUpdate({ target: linkHosts.host, set: { domain, liveFrom } }).run();
    },

    hosts(from: Reader = reads): ReturnHostRow[] {
      return from.db.select().from(returnHosts).orderBy(returnHosts.host).all();
    },
    /** Makes a host the one of a domain; the others of that domain are old ones from now on. */
    setHost(tx: Tx, { host, domain, liveFrom }: Omit<ReturnHostRow, 'retiredAt'>, now: number): void {
      tx.db
        .update(returnHosts)
        .set({ retiredAt: now })
        .where(and(eq(returnHosts.domain, domain), ne(returnHosts.host, host), isNull(returnHosts.retiredAt)))
        .run();
      tx.db
        .insert(returnHosts)
        .values({ host, domain, liveFrom, retiredAt: null })
        .onConflictDoUpdate({ target: returnHosts.host, set: { domain, liveFrom, retiredAt: null } })
        .run();
    },
    setLive(tx: Tx, host: string, liveFrom: number | null): void {
      tx.db.update(returnHosts).set({ liveFrom }).where(eq(returnHosts.host, host)).run();
    },
    retireHostsOf(tx: Tx, domain: string, now: number): void {
      tx.db
        .update(returnHosts)
        .set({ retiredAt: now })
        .where(and(eq(returnHosts.domain, domain), isNull(returnHosts.retiredAt)))
        .run();
    },
    /** @returns how many */
    forgetHosts(tx: Tx, retiredBefore: number): number {
      return tx.db
        .delete(returnHosts)
        .where(and(isNotNull(returnHosts.retiredAt), lt(returnHosts.retiredAt, retiredBefore)))
        .run().changes;
    },
  };
}

/** The records of this feature, for the features above it. */
export interface DomainRecords {
  readonly domains: ReturnType<typeof domainStore>;
}
