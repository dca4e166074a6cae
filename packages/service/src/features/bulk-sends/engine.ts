import { createHash } from 'node:crypto';
import { isFault, parseMailbox, addressText } from '@verbalis/core/mime';
import { isDeeper } from '@verbalis/core/problems';
import type { Logger } from 'pino';
import { Counter, type Registry } from 'prom-client';
import {
  faultsOf,
  instant,
  StoreUnavailable,
  type Clock,
  type OutsideRules,
  type RequestProblem,
  type Running,
  type StepResult,
  type Tx,
  type WorkerGroup,
} from '../../kernel/index.js';
import { callerKey } from '../keys/index.js';
import type { Acceptor } from '../messages/index.js';
import { BulkRecipient } from './model.js';
import { askForPage, SourceFault, type RecipientPage } from './page.js';
import type { BulkRow } from './queries.js';
import { reportEnd } from './report.js';
import { readRows } from './rows.js';
import type { Store } from './store.js';
import type { BulkCursor } from './tables.js';

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  readonly registry: Registry;
  readonly accept: Pick<Acceptor, 'batch'>;
  readonly outside: OutsideRules & { readonly waitMs: number };
  /** Signs requests for recipients of a space. */
  readonly secretOf: (space: string) => string;
  /** An event was written. */
  readonly reported: () => void;
}

export interface Engine extends Running {
  readonly wake: () => void;
}

/** Recipients that are accepted in one transaction. */
const AT_ONCE = 200;
/** Of the last so many recipients, only so many wait to be tried: a bulk send can be stopped, and a disk is not filled with what waits. */
const [WINDOW, MOST_WAITING] = [3000, 1000];
const AGAIN_MS = 500;
/** What is due of a bulk send with a rate is done in pieces of so long, in milliseconds. */
const PIECE_MS = 5000;
/** Deliveries that are canceled in one transaction. */
const CANCELED_AT_ONCE = 200;
/** Waits after a source that failed: first and longest, in milliseconds; after so many in a row it is given up. */
const [FIRST_WAIT_MS, LONGEST_WAIT_MS, MOST_FAILURES] = [5000, 15 * 60_000, 20];
const MAX_DEPTH = 60;
/** Pages of sources that are remembered; others are asked for again. */
const MOST_PAGES = 8;

/** A row that was read, and what it says: a recipient, or why it says none. */
interface ReadRow {
  readonly n: number;
  readonly after: BulkCursor;
  readonly recipient: BulkRecipient | undefined;
  readonly key: string;
  readonly who: string | null;
  readonly problems: readonly RequestProblem[];
}

/** The bulk send was stopped while its next recipients were prepared: nothing of them is written. */
class Stopped extends Error {}

const hashOf = (text: string): string => createHash('sha256').update(text).digest('base64url').slice(0, 22);

function whoOf(to: unknown): string | null {
  const text = typeof to === 'string' ? to : (to as { readonly address?: unknown } | undefined)?.address;
  return typeof text === 'string' ? text.slice(0, 320) : null;
}

/** What a row of a source says. */
function recipientIn(value: unknown): Pick<ReadRow, 'recipient' | 'key' | 'who' | 'problems'> {
  const none = { recipient: undefined, key: '', who: whoOf((value as { readonly to?: unknown } | null)?.to) };
  if (isDeeper(value, MAX_DEPTH)) return { ...none, problems: [{ path: '', message: `nests deeper than ${MAX_DEPTH} levels` }] };
  const read = BulkRecipient.safeParse(value);
  if (!read.success) return { ...none, problems: faultsOf(read.error, BulkRecipient).slice(0, 20) };
  const { to } = read.data;
  const mailbox = parseMailbox(typeof to === 'string' ? to : to.address);
  if (isFault(mailbox)) return { ...none, problems: [{ path: 'to', message: mailbox.fault, hint: mailbox.hint }] };
  const address = addressText(mailbox);
  return { recipient: read.data, key: hashOf(address.toLowerCase()), who: address, problems: [] };
}

function parsedRow(text: string): Pick<ReadRow, 'recipient' | 'key' | 'who' | 'problems'> {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return { recipient: undefined, key: '', who: null, problems: [{ path: '', message: 'is not valid JSON' }] };
  }
  return recipientIn(value);
}

/** The message of a recipient. */
function wantedOf({ common: { template, data, ...common } }: BulkRow, { to, data: own, ...more }: BulkRecipient) {
  return { template, ...common, ...more, to: [to], data: { ...data, ...own } };
}

/** A bulk send as the address knows it that is asked for its recipients. */
function runOf({ id, name, common, createdAt, run }: BulkRow): Readonly<Record<string, unknown>> {
  const planned = run === null ? {} : { schedule: run.schedule, plannedAt: instant(run.plannedAt) };
  return { id, name, template: common.template, startedAt: instant(createdAt), ...planned };
}

/** Goes on with bulk sends: reads recipients and has them accepted, a piece at a time. What is written of a piece is all of it. */
export function bulkEngine({ store, clock, log, workers, registry, accept, outside, secretOf, reported }: Options): Engine {
  const counted = new Counter({
    name: 'verbalis_bulk_recipients_total',
    help: 'Recipients of bulk sends',
    labelNames: ['result'],
    registers: [registry],
  });
  const pages = new Map<string, { readonly page: string | null; readonly content: RecipientPage }>();

  async function pageOf(bulk: BulkRow, url: string, page: string | null): Promise<RecipientPage> {
    const known = pages.get(bulk.id);
    if (known?.page === page) return known.content;
    const content = await askForPage({ url, cursor: page, run: runOf(bulk), secret: secretOf(bulk.space), outside, clock });
    if (pages.size >= MOST_PAGES) pages.clear();
    pages.set(bulk.id, { page, content });
    return content;
  }

  /** The next rows of a bulk send. @throws SourceFault */
  async function read(bulk: BulkRow, most: number): Promise<{ rows: ReadRow[]; isEnd: boolean; after: BulkCursor }> {
    const { source, cursor } = bulk;
    if (source.kind === 'rows' && cursor.kind === 'rows') {
      try {
        const found = readRows((n) => store.contents.piece(source.contentId, n), cursor, most);
        const rows = found.rows.map(({ text, after }, i) => ({ n: bulk.read + i + 1, after, ...parsedRow(text) }));
        return { rows, isEnd: found.isEnd, after: found.after };
      } catch (error) {
        if (error instanceof RangeError) throw new SourceFault(error.message, false);
        throw error;
      }
    }
    if (source.kind !== 'url' || cursor.kind !== 'url') throw new SourceFault('It has no source.', false);
    const { page, skip } = cursor;
    const content = await pageOf(bulk, source.url, page);
    const taken = content.rows.slice(skip, skip + most);
    const isPageEnd = skip + taken.length >= content.rows.length;
    const rows = taken.map((value, i) => ({
      n: bulk.read + i + 1,
      after: { kind: 'url' as const, page, skip: skip + i + 1 },
      ...recipientIn(value),
    }));
    const next: BulkCursor =
      isPageEnd && content.next !== null ? { kind: 'url', page: content.next, skip: 0 } : { kind: 'url', page, skip: skip + taken.length };
    return { rows, isEnd: isPageEnd && content.next === null, after: next };
  }

  /** How many recipients are next: no more than its rate, its test run and what waits allow; 0 where it has to wait. */
  function shareOf({ id, read: done, first, perMinute }: BulkRow): number {
    const waiting = store.bulkSends.untried(id, done - WINDOW);
    if (waiting >= MOST_WAITING) return 0;
    const rated = perMinute === null ? AT_ONCE : Math.max(1, Math.ceil((perMinute * PIECE_MS) / 60_000));
    return Math.min(AT_ONCE, rated, first === null ? AT_ONCE : Math.max(0, first - done));
  }

  const isOver = ({ first }: BulkRow, read: number, isEnd: boolean): boolean => isEnd || (first !== null && read >= first);

  function end(tx: Tx, bulk: BulkRow, change: Partial<BulkRow>): void {
    const { id, source } = bulk;
    const now = clock.now();
    store.bulkSends.set(tx, id, { ...change, nextAt: null, endedAt: now });
    reportEnd(tx, store, { ...bulk, ...change }, now);
    tx.afterCommit(reported);
    if (source.kind === 'rows') store.contents.dropUnused(tx, source.contentId);
    tx.afterCommit(() => {
      pages.delete(id);
    });
  }

  /** Has the next recipients accepted, and writes with them how far it is. */
  async function goOn(bulk: BulkRow): Promise<void> {
    const share = shareOf(bulk);
    if (share === 0 && !isOver(bulk, bulk.read, false)) {
      await store.write((tx) => {
        if (store.bulkSends.find(bulk.space, bulk.id, tx)?.state === 'running')
          store.bulkSends.set(tx, bulk.id, { nextAt: clock.now() + AGAIN_MS });
      });
      return;
    }
    const { rows, isEnd, after } = await read(bulk, share);
    const seen = store.bulkSends.known(
      bulk.id,
      rows.map(({ key }) => key),
    );
    const good: { readonly row: ReadRow; readonly recipient: BulkRecipient }[] = [];
    const bad: { readonly row: ReadRow; readonly problems: readonly RequestProblem[] }[] = [];
    for (const row of rows) {
      if (row.recipient === undefined) bad.push({ row, problems: row.problems });
      else if (seen.has(row.key)) bad.push({ row, problems: [{ path: 'to', message: 'has a message of this bulk send already' }] });
      else {
        seen.add(row.key);
        good.push({ row, recipient: row.recipient });
      }
    }
    const wanted = good.map(({ recipient }) => wantedOf(bulk, recipient));
    const keyRow = bulk.keyId === null ? undefined : store.access.keyById(bulk.space, bulk.keyId);
    const note = (
      tx: Tx,
      taken: ReadonlyMap<number, { readonly id: string }>,
      refused: ReadonlyMap<number, readonly RequestProblem[]>,
    ): void => {
      const current = store.bulkSends.find(bulk.space, bulk.id, tx);
      if (current?.state !== 'running' || current.read !== bulk.read) throw new Stopped();
      const all = [...bad, ...[...refused].flatMap(([i, problems]) => (good[i] === undefined ? [] : [{ row: good[i].row, problems }]))];
      for (const [i, { id }] of taken)
        if (good[i] !== undefined)
          store.bulkSends.addRecipient(tx, {
            bulkId: bulk.id,
            n: good[i].row.n,
            key: good[i].row.key,
            messageId: id,
            who: null,
            problem: null,
          });
      for (const { row, problems } of all)
        store.bulkSends.addRecipient(tx, {
          bulkId: bulk.id,
          n: row.n,
          key: row.key,
          messageId: null,
          who: row.who,
          problem: JSON.stringify(problems),
        });
      const done = bulk.read + rows.length;
      const sums = {
        read: done,
        accepted: bulk.accepted + taken.size,
        refused: bulk.refused + all.length,
        problem: null,
        failures: 0,
        cursor: after,
      };
      if (isOver(bulk, done, isEnd)) end(tx, bulk, { ...sums, state: 'done' });
      else {
        const pauseMs = bulk.perMinute === null ? 0 : (rows.length * 60_000) / bulk.perMinute;
        store.bulkSends.set(tx, bulk.id, { ...sums, nextAt: clock.now() + Math.round(pauseMs) });
      }
      tx.afterCommit(() => {
        counted.inc({ result: 'accepted' }, taken.size);
        counted.inc({ result: 'refused' }, all.length);
      });
    };
    try {
      if (wanted.length === 0)
        await store.write((tx) => {
          note(tx, new Map(), new Map());
        });
      else await accept.batch(bulk.space, wanted, { mode: 'each', key: keyRow === undefined ? undefined : callerKey(keyRow), also: note });
    } catch (error) {
      if (!(error instanceof Stopped)) throw error;
    }
  }

  /** Cancels what waits of one that was canceled, a piece at a time. */
  async function cancelWaiting(bulk: BulkRow): Promise<void> {
    await store.write((tx) => {
      const waiting = store.bulkSends.waiting(bulk.id, CANCELED_AT_ONCE, tx);
      for (const id of waiting) store.deliveries.cancel(tx, id, clock.now());
      if (waiting.length === 0) store.bulkSends.set(tx, bulk.id, { nextAt: null });
      if (bulk.source.kind === 'rows') store.contents.dropUnused(tx, bulk.source.contentId);
    });
  }

  async function failed(bulk: BulkRow, fault: SourceFault): Promise<void> {
    const failures = bulk.failures + 1;
    const isOut = !fault.isPassing || failures >= MOST_FAILURES;
    log.warn({ bulkSend: bulk.id, failures, problem: fault.message }, 'recipients of a bulk send could not be read');
    await store.write((tx) => {
      const current = store.bulkSends.find(bulk.space, bulk.id, tx);
      if (current?.state !== 'running') return;
      if (isOut) {
        reportEnd(tx, store, { ...current, state: 'failed', problem: fault.message.slice(0, 1000) }, clock.now());
        tx.afterCommit(reported);
      }
      store.bulkSends.set(tx, bulk.id, {
        failures,
        problem: fault.message.slice(0, 1000),
        ...(isOut
          ? { state: 'failed', nextAt: null }
          : { nextAt: clock.now() + Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** (failures - 1)) }),
      });
    });
  }

  async function stepOf(bulk: BulkRow): Promise<void> {
    if (bulk.state === 'canceled') return cancelWaiting(bulk);
    if (bulk.state !== 'running')
      return store.write((tx) => {
        store.bulkSends.set(tx, bulk.id, { nextAt: null });
      });
    try {
      await goOn(bulk);
    } catch (error) {
      if (error instanceof SourceFault) await failed(bulk, error);
      else if (error instanceof StoreUnavailable) throw error;
      else {
        log.error({ err: error, bulkSend: bulk.id }, 'a bulk send failed');
        await failed(bulk, new SourceFault(`It failed: ${error instanceof Error ? error.message : String(error)}`, true));
      }
    }
  }

  async function step(): Promise<StepResult> {
    const due = store.bulkSends.due(clock.now(), 4);
    for (const bulk of due) await stepOf(bulk);
    if (due.length > 0) return { did: due.length, next: 'now' };
    const next = store.bulkSends.nextDue();
    return next === undefined ? { did: 0 } : { did: 0, next };
  }

  const worker = workers.add({ name: 'bulk sends', step });
  return { wake: worker.wake, start: worker.start, stop: () => worker.stop() };
}
