import type { Masking } from '@verbalis/core/typing';
import type * as z from 'zod';
import {
  bytesBody,
  endpointsOf,
  idSince,
  instant,
  invalid,
  json,
  newId,
  pageOf,
  Refusal,
  Reply,
  textParams,
  type Clock,
  type RequestProblem,
} from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import type { SensitiveData } from '../sensitive-data/index.js';
import { freshId, readSignals } from './intake.js';
import { SignalChange, SignalList, SignalQuery, SignalRules, SignalsTaken, SignalView, type NewSignal, type SignalState } from './model.js';
import type { MatchRow } from './match-queries.js';
import type { SignalRow } from './queries.js';
import type { Store } from './store.js';
import type { MatchState } from './tables.js';

export interface SignalEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly editions: Pick<Editions, 'current'>;
  readonly sensitive: SensitiveData;
  /** Whether a space sends nothing: then sensitive data are as all others. */
  readonly isCapturing: (space: string) => boolean;
  readonly wake: () => void;
  readonly mostBytes: number;
}

const WEEK = 7 * 86_400_000;
const endpoint = endpointsOf<SignalEndpoints>();

/** What people see: that its email is being made is still waiting. */
const stateOf = (state: MatchState): z.input<typeof SignalState> => (state === 'sending' ? 'waiting' : state);

interface Around {
  readonly matches: readonly MatchRow[];
  /** Signals by the message that they led to. */
  readonly together: ReadonlyMap<string, readonly string[]>;
  readonly cancels: readonly string[] | undefined;
}

function view(row: SignalRow, { matches, together, cancels }: Around) {
  const { id, eventId, source, type, subject, at, receivedAt, matchedAt } = row;
  return {
    id,
    eventId,
    source,
    type,
    subject: subject ?? undefined,
    time: instant(at),
    receivedAt: instant(receivedAt),
    isOpen: matchedAt === null,
    cancels: cancels === undefined ? undefined : [...cancels],
    rules: matches.map(({ rule, state, why, dueAt, changedAt, messageId }) => {
      const others = (messageId === null ? [] : (together.get(messageId) ?? [])).filter((other) => other !== id);
      return {
        rule,
        state: stateOf(state),
        why: why ?? undefined,
        dueAt: stateOf(state) === 'waiting' ? instant(dueAt) : undefined,
        changedAt: instant(changedAt),
        messageId: messageId ?? undefined,
        combinedWith: others.length === 0 ? undefined : others,
      };
    }),
  };
}

function views(store: Store, rows: readonly SignalRow[]) {
  const ids = rows.map(({ id }) => id);
  const matches = store.signalMatches.matchesOf(ids);
  const cancels = store.signalMatches.cancelsOf(ids);
  const together = store.signalMatches.signalsOf([...new Set(matches.flatMap(({ messageId }) => messageId ?? []))]);
  return rows.map((row) =>
    view(row, { matches: matches.filter(({ signalId }) => signalId === row.id), together, cancels: cancels.get(row.id) }),
  );
}

/** How far ahead of the service's clock an app's may be, in milliseconds. */
const MOST_AHEAD = 86_400_000;

/** A time that lies far ahead would cancel what has yet to happen. @throws Refusal */
function refuseAhead(signals: readonly NewSignal[], now: number): void {
  const problems = signals.flatMap(({ time }, i): RequestProblem[] =>
    time !== undefined && Date.parse(time) > now + MOST_AHEAD
      ? [{ path: `${signals.length === 1 ? '' : `[${i}].`}time`, message: 'lies more than a day ahead' }]
      : [],
  );
  if (problems.length > 0) throw invalid(problems.slice(0, 100));
}

/** How sensitive data of signals are hidden, by their type. */
type Maskings = ReadonlyMap<string, Masking>;

/** Data that does not fit the schema of its type is refused at the door. @returns how what is sensitive of it is hidden @throws Refusal */
async function checkedData(space: string, signals: readonly NewSignal[], editions: SignalEndpoints['editions']): Promise<Maskings> {
  // An edition that cannot be loaded keeps no signal out: its rules look at the data, too.
  const rules = await editions.current(space).then(
    (edition) => edition?.rules(),
    () => undefined,
  );
  if (rules === undefined || rules.size === 0) return new Map();
  const problems = signals.flatMap((signal, i): RequestProblem[] => {
    const rule = [...rules.values()].find(({ on }) => on === signal.type);
    const before = signals.length === 1 ? '' : `[${i}].`;
    return (rule?.checkData(signal.data) ?? []).map(({ path, message, hint }) => ({
      path: `${before}data${path === '' || path.startsWith('[') ? '' : '.'}${path}`,
      message,
      ...(hint === undefined ? {} : { hint }),
    }));
  });
  if (problems.length > 0) throw invalid(problems.slice(0, 100));
  return new Map([...rules.values()].flatMap(({ on, masking }) => (masking === undefined ? [] : [[on, masking] as const])));
}

/** A signal that is to be written. */
interface ToKeep {
  readonly row: SignalRow;
  /** Its data as JSON, where its row has them masked. */
  readonly secret: string | undefined;
}

const take = endpoint({
  name: 'signals.take',
  method: 'post',
  path: '/v1/signals',
  summary: 'Say what has happened',
  description:
    'CloudEvents 1.0: structured (application/cloudevents+json), a batch of at most 1,000 (application/cloudevents-batch+json), or binary (header fields `ce-id`, `ce-source`, `ce-type`, data as the body); plain application/json is a structured one or a list. The rules of the mail folder say which emails follow. 202 means that it is kept; `id` and `source` together stand for one signal, however often it comes. All signals of a batch are taken, or none.',
  scope: 'signals',
  audited: 'people',
  body: bytesBody<SignalEndpoints>(
    ['application/cloudevents+json', 'application/cloudevents-batch+json', 'application/json'],
    ({ mostBytes }) => mostBytes,
  ),
  // The client gives every signal an id.
  isRepeatable: true,
  answers: { 202: json('They are kept.', SignalsTaken) },
  refusals: { 415: 'The data of a signal is not JSON.', 422: 'A signal is not right, or its data does not fit the schema of its rules.' },
  async run({ caller: { space, key }, body, request }, { store, clock, editions, sensitive, isCapturing, wake }) {
    const wanted = readSignals(request.headers, body);
    const now = clock.now();
    refuseAhead(wanted, now);
    const maskings = await checkedData(space, wanted, editions);
    const toKeep = wanted.map(({ id, source, type, subject, time, data }): ToKeep => {
      const own = newId('j', now);
      const masking = isCapturing(space) ? undefined : maskings.get(type);
      const shown = masking === undefined ? data : masking.shown(data);
      const row: SignalRow = {
        id: own,
        space,
        source,
        eventId: id ?? freshId(),
        type,
        subject: subject ?? null,
        at: time === undefined ? now : Date.parse(time),
        receivedAt: now,
        data: shown === undefined ? null : JSON.stringify(shown),
        sensitive: masking !== undefined && data !== undefined,
        keyId: key?.id ?? null,
        matchedAt: null,
      };
      return { row, secret: row.sensitive ? JSON.stringify(data) : undefined };
    });
    const taken = await store.write((tx) => {
      const all = toKeep.map(({ row, secret }) => {
        const kept = store.signals.add(tx, row);
        if (secret !== undefined && kept.id === row.id) sensitive.keep(tx, row.id, secret, now);
        return kept;
      });
      tx.afterCommit(wake);
      return all;
    });
    const signals = taken.map(({ id, eventId }, i) => ({ id, eventId, repeated: id !== toKeep[i]?.row.id }));
    return new Reply({ signals }, { status: 202 });
  },
});

const list = endpoint({
  name: 'signals.list',
  method: 'get',
  path: '/v1/signals',
  summary: 'Signals with the results of rules, newest first',
  scope: 'read',
  query: SignalQuery,
  answers: { 200: json('A page.', SignalList) },
  run({ caller: { space }, query: { limit, cursor, ...filter } }, { store }) {
    const page = pageOf(store.signals.list({ space, limit: limit + 1, before: cursor, ...filter }), limit, ({ id }) => id);
    return { signals: views(store, page.rows), nextCursor: page.nextCursor };
  },
});

function found(store: Store, space: string, id: string): SignalRow {
  const row = store.signals.find(space, id);
  if (row !== undefined) return row;
  throw new Refusal(404, 'unknown-signal', 'There is no such signal', { detail: `There is no "${id}" in the space "${space}".` });
}

const show = endpoint({
  name: 'signals.get',
  method: 'get',
  path: '/v1/signals/{id}',
  summary: 'One signal with its data',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: json('The signal.', SignalView) },
  refusals: { 404: 'There is no such signal.' },
  run({ caller: { space }, params: { id } }, { store }) {
    const row = found(store, space, id);
    const [shown] = views(store, [row]);
    if (shown === undefined) throw new Error('A row has a view.');
    return { ...shown, data: row.data === null ? undefined : (JSON.parse(row.data) as unknown) };
  },
});

const cancel = endpoint({
  name: 'signals.cancel',
  method: 'post',
  path: '/v1/signals/{id}/cancel',
  summary: 'Send nothing of what still waits of a signal',
  scope: 'write',
  params: textParams('id'),
  answers: { 200: json('Done.', SignalChange) },
  refusals: { 404: 'There is no such signal.' },
  isRepeatable: true,
  async run({ caller: { space }, params: { id } }, { store, clock }) {
    found(store, space, id);
    return { rules: await store.write((tx) => store.signalMatches.cancelSignal(tx, id, 'A person canceled it.', clock.now())) };
  },
});

const retry = endpoint({
  name: 'signals.retry',
  method: 'post',
  path: '/v1/signals/{id}/retry',
  summary: 'Try again what was refused of a signal',
  description: 'With the rules and templates that are in use now.',
  scope: 'write',
  params: textParams('id'),
  answers: { 200: json('Done.', SignalChange) },
  refusals: { 404: 'There is no such signal.' },
  isRepeatable: true,
  async run({ caller: { space }, params: { id } }, { store, clock, wake }) {
    found(store, space, id);
    const rules = await store.write((tx) => {
      tx.afterCommit(wake);
      return store.signalMatches.retrySignal(tx, id, clock.now());
    });
    return { rules };
  },
});

const rulesInUse = endpoint({
  name: 'signals.rules',
  method: 'get',
  path: '/v1/signal-rules',
  summary: 'The signal rules of the edition in use',
  scope: 'read',
  answers: { 200: json('All of them.', SignalRules) },
  async run({ caller: { space } }, { store, clock, editions }) {
    const edition = await editions.current(space);
    const counts = store.signalMatches.countsByRule(space, idSince('j', clock.now() - WEEK));
    return {
      edition: edition?.number,
      rules: [...(edition?.rules().values() ?? [])].map(({ name, on, when, template, afterMs, unless, combine, atMost }) => {
        const sums: Record<string, number> = {};
        for (const { rule, state, n } of counts) if (rule === name) sums[stateOf(state)] = (sums[stateOf(state)] ?? 0) + n;
        return {
          name,
          on,
          when,
          template,
          afterSeconds: afterMs === 0 ? undefined : afterMs / 1000,
          unless: unless?.type,
          combineSeconds: combine === undefined ? undefined : combine.withinMs / 1000,
          atMost: atMost === undefined ? undefined : { count: atMost.count, seconds: atMost.withinMs / 1000 },
          counts: sums,
        };
      }),
    };
  },
});

/** What happened in apps, and what follows from it. */
export const signalEndpoints = [take, list, show, cancel, retry, rulesInUse];
