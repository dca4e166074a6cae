import { BudgetExceeded, Fault } from '@verbalis/core/problems';
import type { Rule, Signal } from '@verbalis/core/signals';
import type { Logger } from 'pino';
import type { Counter } from 'prom-client';
import { Refusal, StoreUnavailable, type Reader, type RequestProblem, type Tx } from '../../kernel/index.js';
import type { SensitiveData } from '../sensitive-data/index.js';
import type { MatchRow } from './match-queries.js';
import type { SignalRow } from './queries.js';
import type { Store } from './store.js';
import type { MatchState } from './tables.js';

interface Options {
  readonly store: Store;
  readonly log: Logger;
  readonly sensitive: Pick<SensitiveData, 'open'>;
  /** What rules made of signals. */
  readonly ended: Counter<'state'>;
  /** Events were added. */
  readonly reported: () => void;
}

const LONGEST_WHY = 500;

/** Data of a signal that are no longer there: nothing may be sent that shows their masks. */
class DataGone extends Error {
  override name = 'DataGone';
}

/** @throws DataGone */
export function signalOf(row: SignalRow, { open }: Pick<SensitiveData, 'open'>, from?: Reader): Signal {
  const { eventId, source, type, subject, at } = row;
  let { data } = row;
  if (row.sensitive) {
    const opened = open(row.id, from);
    if ('missing' in opened) throw new DataGone('Its sensitive data are no longer there.');
    data = opened.value as string;
  }
  return {
    id: eventId,
    source,
    type,
    ...(subject === null ? {} : { subject }),
    time: at,
    data: data === null ? undefined : (JSON.parse(data) as unknown),
  };
}

/** Problems as one sentence. */
export const sentenceOf = (problems: readonly RequestProblem[]): string =>
  `${problems.map(({ path, message }) => `${path === '' ? '' : `"${path}" `}${message}`).join('; ')}.`.slice(0, LONGEST_WHY);

/** Why a rule could make nothing of a signal, in a sentence; undefined for what is no fault of the data. */
function faultOf(error: unknown): string | undefined {
  if (error instanceof Refusal) {
    const { problems = [] } = error.more;
    return problems.length > 0 ? sentenceOf(problems) : error.sentence.slice(0, LONGEST_WHY);
  }
  return error instanceof Fault || error instanceof BudgetExceeded || error instanceof DataGone
    ? error.message.slice(0, LONGEST_WHY)
    : undefined;
}

/** Counts what was written, once it is. */
function countAfter(tx: Tx, counter: Counter<'state'>, state: MatchState, n = 1): void {
  tx.afterCommit(() => {
    counter.inc({ state }, n);
  });
}

/** An email that a rule could not make is an event. It does not name the reason, which may hold data of the signal. */
export function reportRefused(
  tx: Tx,
  { store, reported }: Pick<Options, 'store' | 'reported'>,
  { rule, signal, at }: { readonly rule: string; readonly signal: SignalRow; readonly at: number },
): void {
  const { id, space, type } = signal;
  const text = `The rule \u201C${rule}\u201D could not turn the signal ${type} (${id}) into an email.`;
  // What is tried again may be refused again.
  store.events.append(tx, { id: `signal:${id}:${rule}:${at}`, space, kind: 'signal-refused', at, data: { signal: id, type, rule, text } });
  tx.afterCommit(reported);
}

/** What rules make of signals, in the transaction that notes it. */
export function matching({ store, log, sensitive, ended, reported }: Options) {
  /** Why a rule could make nothing of a signal. A fault of ours is logged, and holds up no other signal. */
  function whyNot(error: unknown, { name }: Pick<Rule, 'name'>, signal: string): string {
    if (error instanceof StoreUnavailable) throw error;
    const why = faultOf(error);
    if (why === undefined) log.error({ err: error, signal, rule: name }, 'a signal rule failed');
    return why ?? `It failed: ${error instanceof Error ? error.message : String(error)}`.slice(0, LONGEST_WHY);
  }

  /** What a rule makes of a signal that it is on. */
  function match(tx: Tx, rule: Rule, row: SignalRow, now: number): void {
    const base = { signalId: row.id, rule: rule.name, space: row.space, why: null, key: null, by: null, group: null, messageId: null };
    const note = (more: Partial<MatchRow> & Pick<MatchRow, 'state' | 'dueAt'>): void => {
      if (more.state !== 'waiting') countAfter(tx, ended, more.state);
      store.signalMatches.add(tx, { ...base, changedAt: now, ...more });
      if (more.state === 'refused') reportRefused(tx, { store, reported }, { rule: rule.name, signal: row, at: now });
    };
    try {
      const signal = signalOf(row, sensitive, tx);
      // It was checked against the schema of the edition in use when it came in; the schema may have changed.
      const faults = rule.checkData(signal.data);
      if (faults.length > 0) {
        const named = faults.map(({ path, message }) => ({ path: `data${path === '' ? '' : '.'}${path}`, message }));
        note({ state: 'refused', why: sentenceOf(named), dueAt: now });
        return;
      }
      if (!rule.holds(signal)) {
        note({ state: 'ignored', why: `Its test does not hold: ${rule.when ?? ''}`.slice(0, LONGEST_WHY), dueAt: now });
        return;
      }
      const key = rule.keyOf(signal) ?? null;
      const canceledBy =
        key === null
          ? undefined
          : store.signalMatches.cancelOf({ space: row.space, rule: rule.name, key, at: row.at, signalId: row.id }, tx);
      if (canceledBy !== undefined) {
        note({ state: 'canceled', why: `${rule.unless?.type ?? ''} (${canceledBy}) had come before it.`, key, dueAt: now });
        return;
      }
      // One that comes late has waited already; one from a clock that is ahead waits no longer than others.
      const own = Math.max(row.receivedAt, Math.min(row.at, row.receivedAt) + rule.afterMs);
      if (rule.combine === undefined) {
        note({ state: 'waiting', key, dueAt: own });
        return;
      }
      const by = rule.combine.byOf(signal);
      const dueAt = store.signalMatches.groupDue(row.space, rule.name, by, tx) ?? own + rule.combine.withinMs;
      note({ state: 'waiting', key, by: by === '' ? null : by, dueAt });
    } catch (error) {
      note({ state: 'refused', why: whyNot(error, rule, row.id), dueAt: now });
    }
  }

  /** What a signal does to what waits. */
  function cancel(tx: Tx, rule: Rule, row: SignalRow, now: number): void {
    if (rule.unless?.type !== row.type) return;
    let key: string | undefined;
    try {
      key = rule.unless.keyOf(signalOf(row, sensitive, tx));
    } catch (error) {
      whyNot(error, rule, row.id);
    }
    if (key === undefined) return;
    const n = store.signalMatches.cancel(
      tx,
      { space: row.space, rule: rule.name, key, at: row.at, signalId: row.id },
      `${row.type} (${row.id}) came.`,
      now,
    );
    countAfter(tx, ended, 'canceled', n);
  }

  return { match, cancel, whyNot };
}
