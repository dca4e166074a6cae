import { and, eq, inArray, isNotNull, isNull, or, sql } from 'drizzle-orm';
import type { Reader, Tx } from '../../kernel/index.js';
import { contentPieces } from '../attachments/index.js';
import { captured } from '../capture/index.js';
import { deliveries, facts, attempts, idempotency, messages, type DeliveryRow, type MessageRow } from '../messages/index.js';
import { events } from '../events/index.js';
import { returns } from '../returns/index.js';
import { suppressions } from '../suppressions/index.js';
import { ERASED, type Mention } from './mention.js';

/** Rows of a table that are looked at in one transaction. */
const STEP = 2000;

/** Which address is meant, as deliveries and suppressions have it, in which space. */
export interface Subject {
  readonly space: string;
  readonly address: string;
  readonly key: string;
  readonly mention: Mention;
  /** Whether what belongs to no space is meant, too: it may be another space's, and is the operator's. */
  readonly withUnowned: boolean;
}

/** Texts that may name an address beside what is about it. */
const TEXTS: readonly { readonly table: string; readonly column: string; readonly where: string }[] = [
  { table: 'events', column: 'data', where: 'space = :space' },
  { table: 'audit_entries', column: 'target', where: 'space = :space' },
  { table: 'audit_entries', column: 'change', where: 'space = :space' },
  { table: 'alerts', column: 'text', where: 'space = :space' },
  { table: 'alerts', column: 'group', where: 'space = :space' },
  { table: 'alert_rules', column: 'rule', where: 'space = :space' },
  { table: 'holds', column: 'filter', where: 'space = :space' },
  { table: 'holds', column: 'reason', where: 'space = :space' },
  { table: 'sender_faults', column: 'evidence', where: 'space = :space' },
  { table: 'subscriptions', column: 'filter', where: 'space = :space' },
  { table: 'notifications', column: 'problem', where: 'subscription_id in (select id from subscriptions where space = :space)' },
  { table: 'attempts', column: 'diagnostic', where: 'delivery_id in (select id from deliveries where space = :space)' },
  { table: 'facts', column: 'diagnostic', where: 'delivery_id in (select id from deliveries where space = :space)' },
  { table: 'facts', column: 'details', where: 'delivery_id in (select id from deliveries where space = :space)' },
  { table: 'uploads', column: 'name', where: 'space = :space' },
  { table: 'keys', column: 'name', where: 'space = :space' },
  { table: 'consents', column: 'source', where: 'space = :space' },
  { table: 'suppressions', column: 'note', where: 'space = :space' },
  { table: 'suppressions', column: 'evidence', where: 'space = :space' },
  { table: 'suppressions', column: 'lift_note', where: 'space = :space' },
  { table: 'bulk_rows', column: 'who', where: 'bulk_id in (select id from bulk_sends where space = :space)' },
  { table: 'bulk_rows', column: 'problem', where: 'bulk_id in (select id from bulk_sends where space = :space)' },
  { table: 'bulk_sends', column: 'common', where: 'space = :space' },
  { table: 'signals', column: 'subject', where: 'space = :space' },
  { table: 'signals', column: 'event_id', where: 'space = :space' },
  { table: 'signal_matches', column: 'why', where: 'space = :space' },
  { table: 'signal_matches', column: 'by', where: 'space = :space' },
  { table: 'signal_matches', column: 'key', where: 'space = :space' },
];
/** Rows that hold nothing but what came in, and are removed when they name the address. */
const ROWS: readonly { readonly table: string; readonly columns: readonly string[]; readonly mayBeUnowned: boolean }[] = [
  { table: 'quarantine', columns: ['title', 'error', 'stack', 'payload'], mayBeUnowned: true },
  { table: 'returns', columns: ['envelope_from', 'envelope_to', 'readout', 'bytes'], mayBeUnowned: true },
  { table: 'inbound', columns: ['envelope_from', 'envelope_to', 'from', 'subject', 'content', 'bytes'], mayBeUnowned: true },
  { table: 'inbound_answers', columns: ['address'], mayBeUnowned: false },
  { table: 'idempotency', columns: ['key'], mayBeUnowned: false },
  { table: 'signal_sends', columns: ['address'], mayBeUnowned: false },
  { table: 'permits', columns: ['common'], mayBeUnowned: false },
  { table: 'signal_cancels', columns: ['key'], mayBeUnowned: false },
];

/** What may stand between addresses in a text. */
const BETWEEN = /[\s"'<>,;:()[\]\\{}]+/;

/** What of a message may name an address. */
const NAMED = ['to', 'more', 'subject', 'labels', 'reference', 'data'] as const;

/** Finds and erases an address in the records of a space. */
export function addressStore(reads: Reader) {
  const isOf = ({ space, address, key }: Subject) =>
    and(eq(deliveries.space, space), or(inArray(deliveries.address, [address, key]), eq(deliveries.intended, address)));
  const named = (row: MessageRow): string => NAMED.map((column) => JSON.stringify(row[column])).join('\n');

  return {
    deliveriesTo(subject: Subject, from: Reader = reads): DeliveryRow[] {
      return from.db.select().from(deliveries).where(isOf(subject)).orderBy(deliveries.id).all();
    },

    /** Every address that the records of a space contain, as it is written there. */
    namedIn(space: string, from: Reader = reads): string[] {
      const texts = [
        sql`select address as text from deliveries where space = ${space}`,
        sql`select intended as text from deliveries where space = ${space} and intended is not null`,
        sql`select address as text from suppressions where space = ${space}`,
        sql`select address as text from consents where space = ${space}`,
        sql`select address || ' ' || sender as text from captured where space = ${space}`,
        sql`select coalesce("to", '') || ' ' || coalesce(more, '') || ' ' || coalesce(data, '') as text from messages where space = ${space}`,
        sql`select envelope_to || ' ' || readout as text from returns where space = ${space} or space is null`,
        sql`select "from" || ' ' || envelope_from || ' ' || coalesce(content, '') as text from inbound where space = ${space} or space is null`,
      ];
      const found = new Set<string>();
      for (const query of texts)
        for (const { text } of from.db.all<{ text: string }>(sql`select distinct text from (${query})`))
          for (const word of text.split(BETWEEN)) if (word.includes('@')) found.add(word.endsWith('.') ? word.slice(0, -1) : word);
      return [...found];
    },

    /** Messages that name the address without having been sent to it, a page of the space at a time. @returns where the next page begins */
    messagesNaming(
      { space, mention }: Subject,
      after: string,
      from: Reader = reads,
    ): { readonly rows: MessageRow[]; readonly next: string | undefined } {
      const page = from.db
        .select({ id: messages.id })
        .from(messages)
        .where(and(eq(messages.space, space), sql`${messages.id} > ${after}`))
        .orderBy(messages.id)
        .limit(STEP)
        .all();
      const last = page.at(-1)?.id;
      if (last === undefined) return { rows: [], next: undefined };
      const columns = NAMED.map((column) => sql`coalesce(${messages[column]}, '')`);
      const rows = from.db
        .select()
        .from(messages)
        .where(
          and(
            eq(messages.space, space),
            sql`${messages.id} > ${after} and ${messages.id} <= ${last}`,
            sql`instr(lower(${sql.join(columns, sql` || ' ' || `)}), ${mention.needle}) > 0`,
          ),
        )
        .all();
      return { rows: rows.filter((row) => mention.isIn(named(row))), next: page.length < STEP ? undefined : last };
    },

    /** Whether something of a message still waits or is under way. */
    waits(messageId: string, from: Reader = reads): boolean {
      const waiting = and(eq(deliveries.messageId, messageId), or(isNotNull(deliveries.nextAttemptAt), isNotNull(deliveries.owner)));
      return from.db.select({ id: deliveries.id }).from(deliveries).where(waiting).limit(1).get() !== undefined;
    },

    factsOf(deliveryIds: readonly string[], from: Reader = reads) {
      const ids = [...deliveryIds];
      return {
        facts: from.db.select().from(facts).where(inArray(facts.deliveryId, ids)).all(),
        attempts: from.db.select().from(attempts).where(inArray(attempts.deliveryId, ids)).all(),
      };
    },

    suppressionsOf({ space, key }: Subject, from: Reader = reads): (typeof suppressions.$inferSelect)[] {
      return from.db
        .select()
        .from(suppressions)
        .where(and(eq(suppressions.space, space), eq(suppressions.address, key)))
        .all();
    },

    returnsOf(
      { space, mention, withUnowned }: Subject,
      deliveryIds: readonly string[],
      from: Reader = reads,
    ): (typeof returns.$inferSelect)[] {
      const text = sql`lower(${returns.envelopeFrom} || ' ' || ${returns.envelopeTo} || ' ' || ${returns.readout} || ' ' || cast(${returns.bytes} as text))`;
      const rows = from.db
        .select()
        .from(returns)
        .where(
          and(
            withUnowned ? or(eq(returns.space, space), isNull(returns.space)) : eq(returns.space, space),
            or(inArray(returns.deliveryId, [...deliveryIds]), sql`instr(${text}, ${mention.needle}) > 0`),
          ),
        )
        .all();
      return rows.filter(
        (row) =>
          (row.deliveryId !== null && deliveryIds.includes(row.deliveryId)) ||
          mention.isIn([row.envelopeFrom, row.envelopeTo, JSON.stringify(row.readout), row.bytes.toString('latin1')].join('\n')),
      );
    },

    /** Captured emails to the address, from it, or that name it. */
    capturedOf({ space, key, mention }: Subject, from: Reader = reads) {
      const pieces = sql`(select group_concat(cast(${contentPieces.bytes} as text), '') from ${contentPieces} where ${contentPieces.contentId} = ${captured.contentId})`;
      const text = sql<string>`${captured.sender} || ' ' || ${captured.subject} || ' ' || coalesce(cast(${captured.bytes} as text), ${pieces}, '')`;
      const rows = from.db
        .select({
          seq: captured.seq,
          id: captured.id,
          address: captured.address,
          sender: captured.sender,
          subject: captured.subject,
          receivedAt: captured.receivedAt,
          contentId: captured.contentId,
          text,
        })
        .from(captured)
        .where(and(eq(captured.space, space), or(eq(captured.address, key), sql`instr(lower(${text}), ${mention.needle}) > 0`)))
        .all();
      return rows.filter((row) => row.address === key || mention.isIn(row.text));
    },

    /** Removes the address from a message that is kept. */
    eraseIn(tx: Tx, row: MessageRow, { mention }: Subject): void {
      const without = <T>(value: T): T => JSON.parse(mention.erased(JSON.stringify(value))) as T;
      const nameless = (people: MessageRow['to']): MessageRow['to'] =>
        without(people).map((person) => (person.address === ERASED ? { ...person, name: '' } : person));
      const current = tx.db.select().from(messages).where(eq(messages.id, row.id)).get();
      if (current === undefined) return;
      const more = without(current.more);
      tx.db
        .update(messages)
        .set({
          to: nameless(current.to),
          more: { ...more, ...(more.cc === undefined ? {} : { cc: nameless([...more.cc]) }) },
          labels: without(current.labels),
          reference: current.reference === null ? null : mention.erased(current.reference),
        })
        .where(eq(messages.id, row.id))
        .run();
    },

    /** Suppressions stay in force under a name that only this service can make of the address. */
    hideSuppressions(tx: Tx, { space, key }: Subject, hidden: string): number {
      const own = and(eq(suppressions.space, space), eq(suppressions.address, key));
      const isThere = tx.db
        .select({ id: suppressions.id })
        .from(suppressions)
        .where(and(eq(suppressions.space, space), eq(suppressions.address, hidden)));
      if (isThere.get() !== undefined) return tx.db.delete(suppressions).where(own).run().changes;
      return tx.db
        .update(suppressions)
        .set({ address: hidden, note: null, evidence: null, liftNote: null, deliveryId: null })
        .where(own)
        .run().changes;
    },

    /** Removes the address from all other texts, and rows that only held what came in. @returns how many rows were changed */
    eraseElsewhere(tx: Tx, { space, mention, withUnowned }: Subject): number {
      let changed = this.emptyReceived(tx, space, mention);
      const rowsOf = (table: string, column: string, where: string): { id: number; text: string }[] =>
        tx.db.all(
          sql`select rowid as id, cast(${sql.raw(`"${column}"`)} as text) as text from ${sql.raw(table)}
              where ${conditionOf(where, space)} and instr(lower(cast(${sql.raw(`"${column}"`)} as text)), ${mention.needle}) > 0`,
        );
      for (const { table, column, where } of TEXTS)
        for (const { id, text } of rowsOf(table, column, where)) {
          if (!mention.isIn(text)) continue;
          tx.db.run(sql`update ${sql.raw(table)} set ${sql.raw(`"${column}"`)} = ${mention.erased(text)} where rowid = ${id}`);
          changed += 1;
        }
      for (const { table, columns, mayBeUnowned } of ROWS)
        for (const column of columns)
          for (const { id, text } of rowsOf(
            table,
            column,
            withUnowned && mayBeUnowned ? '(space = :space or space is null)' : 'space = :space',
          )) {
            if (!mention.isIn(text)) continue;
            tx.db.run(sql`delete from ${sql.raw(table)} where rowid = ${id}`);
            changed += 1;
          }
      return changed;
    },

    /** What a person wrote is theirs: of an event that reports it nothing but its id stays. @returns how many events were changed */
    emptyReceived(tx: Tx, space: string, mention: Mention): number {
      const rows = tx.db
        .select({ seq: events.seq, id: events.id, data: sql<string>`cast(${events.data} as text)` })
        .from(events)
        .where(
          and(eq(events.space, space), eq(events.kind, 'received'), sql`instr(lower(cast(${events.data} as text)), ${mention.needle}) > 0`),
        )
        .all()
        .filter(({ data }) => mention.isIn(data));
      for (const { seq, id } of rows)
        tx.db
          .update(events)
          .set({ data: { inboundId: id.replace('inbound:', ''), isErased: true } })
          .where(eq(events.seq, seq))
          .run();
      return rows.length;
    },

    /** Idempotency keys of messages stand for what was erased: another request with one must not find it. */
    forgetKeys(tx: Tx, messageIds: readonly string[]): void {
      tx.db
        .delete(idempotency)
        .where(inArray(idempotency.messageId, [...messageIds]))
        .run();
    },
  };
}

/** A condition of the lists above, with its space. */
function conditionOf(where: string, space: string) {
  const [before = '', after = ''] = where.split(':space');
  return sql`${sql.raw(before)}${space}${sql.raw(after)}`;
}

/** The records of this feature. */
export interface AddressRecords {
  readonly addresses: ReturnType<typeof addressStore>;
}
