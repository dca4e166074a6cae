import type { Rule, Signal } from '@verbalis/core/signals';
import type { Logger } from 'pino';
import { Counter, type Registry } from 'prom-client';
import { faultsOf, type Clock, type Running, type StepResult, type WorkerGroup } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import { callerKey } from '../keys/index.js';
import { NewMessage, type Acceptor } from '../messages/index.js';
import type { SensitiveData } from '../sensitive-data/index.js';
import type * as z from 'zod';
import type { MatchRow } from './match-queries.js';
import { matching, reportRefused, sentenceOf, signalOf } from './matching.js';
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
  /** Events were added. */
  readonly reported: () => void;
}

export interface Engine extends Running {
  /** Something came in, or may be due. */
  readonly wake: () => void;
}

/** Signals that are looked at in one transaction. */
const AT_ONCE = 100;
/** Emails that are asked for at the same time. */
const SIDE_BY_SIDE = 32;
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

/** Looks which rules a signal fulfils, and sends what is due. */
export function signalEngine(options: Options): Engine {
  const { store, clock, log, workers, registry, editions, accept, sensitive } = options;
  const ended = new Counter({
    name: 'verbalis_signal_matches_total',
    help: 'What rules made of signals',
    labelNames: ['state'],
    registers: [registry],
  });

  const { match, cancel, whyNot } = matching({ store, log, sensitive, ended, reported: options.reported });

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
      if (state.state === 'refused' && first !== undefined) reportRefused(tx, options, { rule: due.rule, signal: first, at: now });
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
