import { addressKey, causeRow, suppressionOf, type Cause, type SuppressionPlan, type SuppressionReason } from '@verbalis/core/delivery';
import type { Logger } from 'pino';
import type { Reader, Tx } from '../kernel/index.js';
import { newId, readLine, type DeliveryRow, type NewFact, type Store, type SuppressionRow } from '../store/index.js';

export interface SuppressingOptions {
  readonly store: Store;
  readonly log: Logger;
  readonly plan: SuppressionPlan;
  /** Whether local parts that differ in case only are the same. */
  readonly anyCase: boolean;
}

export type Suppressing = ReturnType<typeof suppressing>;

/** What the sender did wrong; it says nothing against the recipient. */
const SENDER_FAULTS: ReadonlySet<Cause> = new Set<Cause>(['policy', 'reputation', 'content', 'authentication', 'too-large']);
/** How far back failures count, in milliseconds. */
const MEMORY = 90 * 24 * 3_600_000;

const REASONS: Readonly<Record<SuppressionReason, string>> = {
  failed: 'a mail to it failed for good',
  'failed-repeatedly': 'mails to it failed again and again',
  complained: 'a mail was reported as unwanted',
  unsubscribed: 'the recipient has unsubscribed',
  added: 'somebody has added it',
  imported: 'it was imported',
};

/** Why an address gets no mail, in a sentence. */
export function inWords(row: Pick<SuppressionRow, 'reason' | 'cause' | 'createdAt' | 'topic' | 'note' | 'evidence'>): string {
  const why = row.cause === null ? REASONS[row.reason] : `${REASONS[row.reason]} (${causeRow(row.cause).sentence})`;
  const what = row.topic === '' ? 'The address has been suppressed' : `The address has been suppressed for the topic "${row.topic}"`;
  const said = row.note ?? row.evidence;
  return `${what} since ${new Date(row.createdAt).toISOString().slice(0, 10)}: ${why}.${said === null || said === '' ? '' : ` ${said}`}`;
}

/** Makes suppressions of facts, and tells whether one is in force. */
export function suppressing({ store, log, plan, anyCase }: SuppressingOptions) {
  const keyOf = (address: string): string => addressKey(address, anyCase);
  const listeners: (() => void)[] = [];

  function add(
    tx: Tx,
    space: string,
    address: string,
    topic: string,
    more: Partial<SuppressionRow> & Pick<SuppressionRow, 'reason'>,
    now: number,
  ): boolean {
    const row: SuppressionRow = {
      id: newId('s', now),
      space,
      address: keyOf(address),
      topic,
      cause: null,
      evidence: null,
      deliveryId: null,
      note: null,
      createdAt: now,
      liftedAt: null,
      liftNote: null,
      ...more,
    };
    return store.suppressions.add(tx, row);
  }

  /** What a new fact means for its address; within the transaction that writes the fact. */
  function learn(tx: Tx, fact: NewFact, now: number): void {
    if (fact.kind !== 'failed' && fact.kind !== 'complained') return;
    const row = store.deliveries.find(fact.deliveryId, tx);
    if (row === undefined) return;
    const { space } = row;
    if (fact.kind === 'failed' && fact.cause !== undefined && SENDER_FAULTS.has(fact.cause)) {
      store.suppressions.senderFault(tx, space, fact.cause, new Date(now).toISOString().slice(0, 10), fact.diagnostic ?? '');
      tx.afterCommit(() => {
        for (const listener of listeners) listener();
        log.warn({ space, cause: fact.cause, delivery: row.id, diagnostic: fact.diagnostic }, 'an email failed because of its sender');
      });
      return;
    }
    const key = keyOf(row.address);
    if (store.suppressions.inForce(space, key, '', tx) !== undefined) return;
    const since = Math.max(now - MEMORY, store.suppressions.liftedAt(space, key, tx) ?? 0);
    const verdict = suppressionOf(store.suppressions.factsAbout(space, [...new Set([row.address, key])], since, tx), plan);
    if (verdict === undefined) return;
    const { reason, cause = null, fact: decisive } = verdict;
    add(tx, space, row.address, '', { reason, cause, evidence: decisive.diagnostic ?? null, deliveryId: decisive.deliveryId }, now);
    tx.afterCommit(() => {
      log.info({ space, delivery: decisive.deliveryId, reason, cause }, 'address suppressed');
    });
  }
  store.deliveries.onRecorded(learn);

  return {
    keyOf,
    add,
    /** Is called when a mail has failed for what the sender did. */
    onSenderFault(listener: () => void): void {
      listeners.push(listener);
    },
    /** Why a delivery must not be sent; undefined where nothing stands against it. */
    against(row: Pick<DeliveryRow, 'space' | 'address' | 'line'>, from: Reader): string | undefined {
      const found = store.suppressions.inForce(row.space, keyOf(row.address), readLine(row.line).topic ?? '', from);
      return found === undefined ? undefined : inWords(found);
    },
  };
}
