import {
  readFairnessKey,
  addressKey,
  causeRow,
  isSenderFault,
  suppressionOf,
  type SuppressionPlan,
  type SuppressionReason,
} from '@verbalis/core/delivery';
import type { Logger } from 'pino';
import { type Reader, type Tx, newId } from '../../kernel/index.js';
import { type DeliveryRow, type NewFact } from '../messages/index.js';
import { hiddenKey } from './hidden.js';
import type { Store } from './store.js';
import type { SuppressionRow } from './queries.js';

export interface SuppressingOptions {
  readonly store: Store;
  readonly log: Logger;
  readonly plan: SuppressionPlan;
  /** Whether local parts that differ in case only are the same. */
  readonly anyCase: boolean;
  /** Hides erased addresses. */
  readonly master: Uint8Array;
}

/** An address that gets no more mail: of a topic, or at all when none is named. */
export type NewSuppression = Pick<SuppressionRow, 'space' | 'address' | 'reason'> &
  Partial<Pick<SuppressionRow, 'topic' | 'cause' | 'evidence' | 'deliveryId' | 'note'>>;

export type Suppressing = ReturnType<typeof suppressing>;

/** How far back failures count, in milliseconds. */
const MEMORY = 90 * 24 * 3_600_000;

const REASONS: Readonly<Record<SuppressionReason, string>> = {
  failed: 'an email to it failed permanently',
  'failed-repeatedly': 'emails to it failed again and again',
  complained: 'an email was reported as unwanted',
  unsubscribed: 'the recipient has unsubscribed',
  added: 'a person added it',
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
export function suppressing({ store, log, plan, anyCase, master }: SuppressingOptions) {
  const keyOf = (address: string): string => addressKey(address, { anyCase });
  const hiddenOf = (address: string): string => hiddenKey(master, keyOf(address));

  /** @returns false when the address is suppressed so already */
  function add(tx: Tx, { space, address, topic = '', ...more }: NewSuppression, now: number): boolean {
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
    // A fault of the sender does not suppress the recipient.
    if (fact.cause !== undefined && isSenderFault(fact.cause)) return;
    const row = store.deliveries.find(fact.deliveryId, tx);
    if (row === undefined) return;
    const { space } = row;
    const key = keyOf(row.address);
    if (store.suppressions.inForce(space, key, '', tx) !== undefined) return;
    const since = Math.max(now - MEMORY, store.suppressions.liftedAt(space, key, tx) ?? 0);
    const verdict = suppressionOf(store.suppressions.factsAbout(space, [...new Set([row.address, key])], since, tx), plan);
    if (verdict === undefined) return;
    const { reason, cause = null, fact: decisive } = verdict;
    const evidence = decisive.diagnostic ?? null;
    add(tx, { space, address: row.address, reason, cause, evidence, deliveryId: decisive.deliveryId }, now);
    tx.afterCommit(() => {
      log.info({ space, delivery: decisive.deliveryId, reason, cause }, 'address suppressed');
    });
  }
  store.deliveries.onRecorded('suppressing', learn);
  const lifted: ((tx: Tx, row: SuppressionRow, note: string) => void)[] = [];

  return {
    keyOf,
    /** Under which name its suppression stands when the address was erased. */
    hiddenOf,
    add,
    /** Lifts a suppression for someone who says why; what follows from it is written by those who listen. */
    lift(tx: Tx, row: SuppressionRow, at: number, note: string): void {
      store.suppressions.lift(tx, row.id, at, note);
      for (const listener of lifted) listener(tx, row, note);
    },
    onLifted(listener: (tx: Tx, row: SuppressionRow, note: string) => void): void {
      lifted.push(listener);
    },
    /** Why a delivery must not be sent; undefined where it may be. */
    suppressionFor(row: Pick<DeliveryRow, 'space' | 'address' | 'fairnessKey'>, from: Reader): string | undefined {
      const { topic = '' } = readFairnessKey(row.fairnessKey);
      const found =
        store.suppressions.inForce(row.space, keyOf(row.address), topic, from) ??
        store.suppressions.inForce(row.space, hiddenOf(row.address), topic, from);
      return found === undefined ? undefined : inWords(found);
    },
  };
}
