import { BudgetExceeded, Fault } from '@verbalis/core/problems';
import type { Rule, Signal } from '@verbalis/core/signals';
import type { Logger } from 'pino';
import { Counter, type Registry } from 'prom-client';
import {
  faultsOf,
  Refusal,
  StoreUnavailable,
  type Clock,
  type Reader,
  type RequestProblem,
  type Running,
  type StepResult,
  type Tx,
  type WorkerGroup,
} from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import { callerKey } from '../keys/index.js';
import { NewMessage, type Acceptor } from '../messages/index.js';
import type { SensitiveData } from '../sensitive-data/index.js';
import type { z } from 'zod';
import type { MatchRow } from './match-queries.js';
import type { SignalRow } from './queries.js';
import type { Store } from './store.js';
import type { MatchState } from './tables.js';

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  readonly registry: Registry;
  readonly editions: Pick<Editions, 'current'>;
  readonly accept: Pick<Acceptor, 'one'>;
  readonly sensitive: Pick<SensitiveData, 'open'>;
}

export interface Engine extends Running {
  /** Something came in, or may be due. */
  readonly wake: () => void;
}

/** Signals that are looked at in one transaction. */
const AT_ONCE = 100;
/** Emails that are asked for at the same time. */
const SIDE_BY_SIDE = 32;
const LONGEST_WHY = 500;
/** A space whose edition cannot be loaded is left alone for so long, in milliseconds. */
const REST_MS = 30_000;
const NO_RULES: ReadonlyMap<string, Rule> = new Map();

/** What came of an attempt to make the email of a group. */
interface Ended {
  readonly state: MatchState;
  readonly why: string | null;
  readonly messageId: string | null;
  /** Whom it counts for, where a rule allows only so many. */
  readonly addresses: readonly string[];
}

/** Data of a signal that are no longer there: nothing may be sent that shows their masks. */
class DataGone extends Error {
  override name = 'DataGone';
}

/** @throws DataGone */
function signalOf(row: SignalRow, { open }: Pick<SensitiveData, 'open'>, from?: Reader): Signal {
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

const sentenceOf = (problems: readonly RequestProblem[]): string =>
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

/** Looks which rules a signal fulfils, and sends what is due. */
export function signalEngine({ store, clock, log, workers, registry, editions, accept, sensitive }: Options): Engine {
  const ended = new Counter({
    name: 'verbalis_signal_matches_total',
    help: 'What rules made of signals',
    labelNames: ['state'],
    registers: [registry],
  });

  /** Why a rule could make nothing of a signal. A fault of ours is logged, and holds up no other signal. */
  function whyNot(error: unknown, { name }: Pick<Rule, 'name'>, signal: string): string {
    if (error instanceof StoreUnavailable) throw error;
    const why = faultOf(error);
    if (why === undefined) log.error({ err: error, signal, rule: name }, 'a signal rule failed');
    return why ?? `It failed: ${error instanceof Error ? error.message : String(error)}`.slice(0, LONGEST_WHY);
  }

  /** What a rule makes of a signal that it is on; in the transaction that notes it. */
  function match(tx: Tx, rule: Rule, row: SignalRow, now: number): void {
    const base = { signalId: row.id, rule: rule.name, space: row.space, why: null, key: null, by: null, group: null, messageId: null };
    const note = (more: Partial<MatchRow> & Pick<MatchRow, 'state' | 'dueAt'>): void => {
      if (more.state !== 'waiting') countAfter(tx, ended, more.state);
      store.signalMatches.add(tx, { ...base, changedAt: now, ...more });
    };
    try {
      const signal = signalOf(row, sensitive, tx);
      // It was held against the schema of the edition in use when it came in; this one may be another.
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

  /** Spaces whose edition cannot be loaded, and until when they are left alone; by the monotonic clock. */
  const resting = new Map<string, number>();
  const rested = (): string[] => {
    for (const [space, until] of resting) if (until <= clock.elapsed()) resting.delete(space);
    return [...resting.keys()];
  };

  /** The rules of a space; undefined where its edition cannot be loaded, which holds up no other space. */
  async function rulesOf(space: string): Promise<ReadonlyMap<string, Rule> | undefined> {
    if (resting.has(space)) return undefined;
    try {
      return (await editions.current(space))?.rules() ?? NO_RULES;
    } catch (error) {
      resting.set(space, clock.elapsed() + REST_MS);
      log.error({ err: error, space }, 'the rules of a space could not be loaded; its signals wait');
      return undefined;
    }
  }

  async function matchOpen(): Promise<number> {
    const found = store.signals.open(AT_ONCE, rested());
    const inUse = new Map<string, ReadonlyMap<string, Rule> | undefined>();
    for (const space of new Set(found.map((row) => row.space))) inUse.set(space, await rulesOf(space));
    const open = found.filter(({ space }) => inUse.get(space) !== undefined);
    if (open.length === 0) return found.length;
    await store.write((tx) => {
      const now = clock.now();
      for (const row of open) {
        for (const rule of inUse.get(row.space)?.values() ?? []) {
          cancel(tx, rule, row, now);
          if (rule.on === row.type) match(tx, rule, row, now);
        }
        store.signals.setMatched(tx, row.id, now);
      }
    });
    return found.length;
  }

  /** Who has had as many emails of a rule as it allows. */
  function hasRoom(rule: Rule, space: string, address: string, now: number): boolean {
    const { atMost } = rule;
    return atMost === undefined || store.signalMatches.sends({ space, rule: rule.name, address, at: now - atMost.withinMs }) < atMost.count;
  }

  const addressOf = (to: z.output<typeof NewMessage>['to'][number]): string => {
    const text = typeof to === 'string' ? (/<([^<>]*)>\s*$/.exec(to)?.[1] ?? to) : to.address;
    return text.trim().toLowerCase();
  };

  /** Makes the email of signals that belong together, and has it accepted. */
  async function makeEmail(rule: Rule, rows: readonly [SignalRow, ...SignalRow[]], idempotencyKey: string): Promise<Ended> {
    const [first] = rows;
    const none = { messageId: null, addresses: [] };
    // It was accepted, and a crash kept that from being noted here.
    const earlier = store.messages.underKey(first.space, idempotencyKey);
    const read = NewMessage.safeParse(rule.mail(rows.map((row) => signalOf(row, sensitive)) as [Signal, ...Signal[]]));
    if (!read.success && earlier === undefined)
      return {
        ...none,
        state: 'refused',
        why: sentenceOf(faultsOf(read.error, NewMessage)),
      };
    const wanted = read.data;
    const now = clock.now();
    if (earlier !== undefined)
      return { state: 'sent', why: null, messageId: earlier.messageId, addresses: wanted?.to.map(addressOf) ?? [] };
    if (wanted === undefined) throw new Error('What was read is there.');
    const to = wanted.to.filter((recipient) => hasRoom(rule, first.space, addressOf(recipient), now));
    if (to.length === 0) {
      const { count, withinMs } = rule.atMost ?? { count: 0, withinMs: 0 };
      const hours = Math.round(withinMs / 360_000) / 10;
      return { ...none, state: 'limited', why: `Its recipients had ${count} within ${hours} hours already.` };
    }
    // What a key may not send, it may not cause.
    const keyRow = first.keyId === null ? undefined : store.access.keyById(first.space, first.keyId);
    const key = keyRow === undefined ? undefined : callerKey(keyRow);
    const { message } = await accept.one(first.space, { ...wanted, to }, { idempotencyKey, key });
    return { state: 'sent', why: null, messageId: message.id, addresses: to.map(addressOf) };
  }

  async function send(due: MatchRow): Promise<void> {
    const rules = await rulesOf(due.space);
    if (rules === undefined) return;
    const group = await store.write((tx) => store.signalMatches.claim(tx, due, clock.now()));
    const [head] = group;
    // It was taken with another one, or canceled meanwhile.
    if (head === undefined) return;
    const { space } = due;
    const rows = group.flatMap(({ signalId }) => store.signals.find(space, signalId) ?? []);
    const rule = rules.get(due.rule);
    const [first, ...others] = rows;
    let result: Ended = { state: 'refused', why: 'The rule is no longer in the mail folder.', messageId: null, addresses: [] };
    if (rule !== undefined && first !== undefined)
      try {
        result = await makeEmail(rule, [first, ...others], `signal:${due.rule}:${head.group ?? head.signalId}`);
      } catch (error) {
        result = { ...result, why: whyNot(error, rule, head.signalId) };
      }
    await store.write((tx) => {
      const now = clock.now();
      const { addresses, ...state } = result;
      store.signalMatches.end(tx, { space, rule: due.rule, group: head.group ?? head.signalId }, state, now);
      if (rule?.atMost !== undefined)
        for (const address of addresses)
          store.signalMatches.addSend(tx, { space, rule: due.rule, address, at: now, signalId: head.signalId });
    });
    ended.inc({ state: result.state }, group.length);
  }

  /** Sends what is due: side by side, but one after the other where one may use up what another is allowed. */
  async function sendDue(): Promise<number> {
    const due = store.signalMatches.due(clock.now(), AT_ONCE, rested());
    const lanes = new Map<string, MatchRow[]>();
    for (const row of due) {
      const lane = `${row.space}/${row.rule}`;
      lanes.set(lane, [...(lanes.get(lane) ?? []), row]);
    }
    const oneByOne: MatchRow[][] = [];
    const free: MatchRow[] = [];
    for (const rows of lanes.values()) {
      const [{ space, rule }] = rows as [MatchRow];
      const isLimited = (await rulesOf(space))?.get(rule)?.atMost !== undefined;
      if (isLimited || rows.some(({ by }) => by !== null)) oneByOne.push(rows);
      else free.push(...rows);
    }
    const series = async (rows: readonly MatchRow[]): Promise<void> => {
      for (const row of rows) await send(row);
    };
    const shares = Array.from({ length: SIDE_BY_SIDE }, (_, i) => free.filter((_row, at) => at % SIDE_BY_SIDE === i));
    await Promise.all([...oneByOne, ...shares].map(series));
    return due.length;
  }

  async function step(): Promise<StepResult> {
    const matched = await matchOpen();
    // What has come in first may cancel what is due.
    if (matched === AT_ONCE) return { did: matched, next: 'now' };
    const sent = await sendDue();
    if (matched + sent > 0) return { did: matched + sent, next: 'now' };
    const next = store.signalMatches.nextDue(rested());
    const again = resting.size === 0 ? undefined : clock.now() + REST_MS;
    const first = Math.min(next ?? Infinity, again ?? Infinity);
    return first === Infinity ? { did: 0 } : { did: 0, next: first };
  }

  const worker = workers.add({ name: 'signals', step });
  return { wake: worker.wake, start: worker.start, stop: () => worker.stop() };
}
