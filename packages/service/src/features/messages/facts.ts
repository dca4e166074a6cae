import { deciding, isSettled, stateOf, type DecidingFact, type Fact } from '@verbalis/core/delivery';
import { eq, sql } from 'drizzle-orm';
import { placeholders, reading, writing, type Reader, type Tx } from '../../kernel/index.js';
import { deliveries, facts } from './tables.js';

export type FactRow = typeof facts.$inferSelect;

/** A fact to be recorded; its id decides whether it is new. */
export interface NewFact extends Fact {
  readonly deliveryId: string;
  readonly returnId?: string | undefined;
}

/** A fact that the service states itself; nothing outside reported it. */
export function ownFact(
  fact: Pick<NewFact, 'id' | 'deliveryId' | 'kind' | 'at'> & Partial<Pick<NewFact, 'cause' | 'diagnostic' | 'details'>>,
): NewFact {
  return { source: 'service', cause: undefined, status: undefined, replyCode: undefined, diagnostic: undefined, ...fact };
}

export type FactStore = ReturnType<typeof factStore>;

/** Facts about deliveries, and the state that follows from them. */
export function factStore(reads: Reader) {
  const factsOf = reading((db) =>
    db
      .select()
      .from(facts)
      .where(eq(facts.deliveryId, sql.placeholder('id')))
      .orderBy(facts.at, facts.id)
      .prepare(),
  );
  const decisive = reading((db) =>
    db
      .select({ id: facts.id, kind: facts.kind, source: facts.source, at: facts.at })
      .from(deliveries)
      .innerJoin(facts, eq(facts.id, deliveries.decidedBy))
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const insertFact = writing((db) => db.insert(facts).values(placeholders(facts)).onConflictDoNothing().prepare());
  const setState = writing((db) =>
    db
      .update(deliveries)
      .set({
        state: sql`${sql.placeholder('state')}`,
        cause: sql`${sql.placeholder('cause')}`,
        decidedBy: sql`${sql.placeholder('decidedBy')}`,
      })
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );
  const settle = writing((db) =>
    db
      .update(deliveries)
      .set({
        state: sql`${sql.placeholder('state')}`,
        cause: sql`${sql.placeholder('cause')}`,
        decidedBy: sql`${sql.placeholder('decidedBy')}`,
        nextAttemptAt: null,
        heldBy: null,
        heldFrom: null,
        owner: null,
      })
      .where(eq(deliveries.id, sql.placeholder('id')))
      .prepare(),
  );

  const listeners = new Map<string, (tx: Tx, fact: NewFact, recordedAt: number) => void>();

  function toFact(row: FactRow): FactRow & Fact {
    return {
      ...row,
      cause: row.cause ?? undefined,
      status: row.status ?? undefined,
      replyCode: row.replyCode ?? undefined,
      diagnostic: row.diagnostic ?? undefined,
      details: row.details ?? undefined,
    } as FactRow & Fact;
  }

  /** Writes a fact. @returns whether it was new */
  function write(tx: Tx, fact: NewFact, recordedAt: number): boolean {
    const { id, deliveryId, kind, source, at, cause, status, replyCode, diagnostic, returnId, details } = fact;
    const inserted = insertFact(tx).run({
      id,
      deliveryId,
      kind,
      source,
      at,
      recordedAt,
      cause: cause ?? null,
      status: status ?? null,
      replyCode: replyCode ?? null,
      diagnostic: diagnostic ?? null,
      returnId: returnId ?? null,
      details: details ?? null,
    });
    return inserted.changes > 0;
  }

  /** A state is that of the highest fact, so the highest so far and the new one decide it: the cost does not grow with the facts. */
  function decide(tx: Tx, fact: NewFact): void {
    const before: DecidingFact | undefined = decisive(tx).get({ id: fact.deliveryId });
    const two = before === undefined ? [fact] : [before, fact];
    // A fact that decides nothing leaves the row as it is.
    if (deciding(two)?.id !== fact.id) return;
    const row = { id: fact.deliveryId, state: stateOf(two), cause: fact.cause ?? null, decidedBy: fact.id };
    (isSettled(two) ? settle : setState)(tx).run(row);
  }

  function notify(tx: Tx, fact: NewFact, recordedAt: number): void {
    for (const listener of listeners.values()) listener(tx, fact, recordedAt);
  }

  /**
   * Records a fact and sets the delivery's state from all its facts. The same fact again changes nothing.
   * @returns whether it was new
   */
  function record(tx: Tx, fact: NewFact, recordedAt: number): boolean {
    if (!write(tx, fact, recordedAt)) return false;
    decide(tx, fact);
    notify(tx, fact, recordedAt);
    return true;
  }

  return {
    record,

    /** Writes a fact whose meaning for the delivery's state the caller has written already, or writes by `decide`. @returns whether it was new */
    insert: write,
    decide,
    /** Passes a new fact on to those who follow facts, within the transaction that writes it. */
    pass: notify,

    /**
     * Is called with every new fact, within the transaction that writes it.
     * @param name who listens: one that is registered again, after a reload, takes the place of the former
     */
    onRecorded(name: string, listener: (tx: Tx, fact: NewFact, recordedAt: number) => void): void {
      listeners.set(name, listener);
    },

    facts(deliveryId: string, from: Reader = reads): (FactRow & Fact)[] {
      return factsOf(from).all({ id: deliveryId }).map(toFact);
    },
  };
}
