import type { DmarcReport, ReporterProof } from '@verbalis/core/reports';
import {
  boundedThread,
  threadFile,
  ThreadFault,
  type Clock,
  type Running,
  type StepResult,
  type Tx,
  type WorkerGroup,
} from '../../kernel/index.js';
import type { Domains } from '../domains/index.js';
import { threadQuestions, type OpenNameServers } from '../name-servers/index.js';
import { REPORT_ADDRESSES } from '../returns/index.js';
import type { UnreadReport } from './queries.js';
import type { Store } from './store.js';
import type { ReadReports } from './unpack.js';

export interface ReportReading extends Running {
  /** An email to a report address was stored. */
  readonly arrived: () => void;
}

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly workers: WorkerGroup;
  readonly domains: Domains;
  /** Undefined where the DNS is not asked: who sent a report is not known then. */
  readonly nameServers: OpenNameServers | undefined;
  /** Spaces that send as a domain. */
  readonly spacesOf: (domain: string) => Promise<readonly string[]>;
  readonly reported: () => void;
}

const BATCH = 10;
const REPEATED = 'It was counted before.';
const EVERY_MS = 60_000;
/** Reports that came longer ago are not read any more: their bytes may be gone. */
const WINDOW_MS = 7 * 86_400_000;
const [LIMIT_MS, IDLE_MS, MEMORY_MB] = [30_000, 10_000, 256];
/** So long the DNS is asked about one email. */
const DNS_MS = 10_000;

/** Reads reports in a thread of its own, oldest first. */
export function reportReading({ store, clock, workers, domains, nameServers, spacesOf, reported }: Options): ReportReading {
  const questions = threadQuestions(nameServers, DNS_MS);
  const thread = boundedThread(threadFile(import.meta.url, 'reports-thread.js'), {
    name: 'reports',
    limitMs: LIMIT_MS,
    idleMs: IDLE_MS,
    memoryMb: MEMORY_MB,
    methods: { ask: questions.ask },
  });

  async function read(report: UnreadReport): Promise<void> {
    let found: ReadReports;
    try {
      found = await thread.call<ReadReports>('read', { bytes: report.bytes });
    } catch (error) {
      const why = error instanceof ThreadFault ? error.message : `It could not be read: ${String(error)}`;
      found = { dmarc: [], tls: [], problems: [why] };
    }
    const proof = found.dmarc.length + found.tls.length === 0 ? null : await proofOf(report);
    const spaces = new Map<string, readonly string[]>();
    for (const { domain } of found.dmarc) {
      const own = domains.above(domain)?.name;
      if (own !== undefined) spaces.set(own, await spacesOf(own));
    }
    await store.write((tx) => {
      write(tx, { report, proof, spaces }, found);
    });
  }

  /** Whether a report is from whom it names; null where nobody can be asked. */
  async function proofOf({ bytes, envelopeFrom, broughtBy }: UnreadReport): Promise<ReporterProof | null> {
    if (broughtBy === null || !questions.begin()) return null;
    try {
      return await thread.call<ReporterProof>('prove', {
        mail: { bytes, envelopeFrom, ...broughtBy },
        seconds: Math.floor(clock.now() / 1000),
      });
    } catch (error) {
      if (!(error instanceof ThreadFault)) throw error;
      return { state: 'unknown', reason: error.message };
    }
  }

  function write(
    tx: Tx,
    {
      report,
      proof,
      spaces,
    }: { readonly report: UnreadReport; readonly proof: ReporterProof | null; readonly spaces: ReadonlyMap<string, readonly string[]> },
    { dmarc, tls, problems }: ReadReports,
  ): void {
    const [receivedAt, returnId] = [report.receivedAt, report.id];
    let number = 0;
    const base = () => ({ returnId, number: (number += 1), receivedAt, proof, problem: null, successful: 0, failed: 0, failures: [] });
    const unread = (problem: string, domain = ''): void => {
      const row = base();
      const reportId = `${returnId}#${row.number}`;
      store.reports.add(tx, { ...row, kind: 'unread', domain, reporter: '', reportId, begin: receivedAt, end: receivedAt, problem });
    };
    for (const found of dmarc) {
      const domain = domains.above(found.domain)?.name;
      if (domain === undefined) unread(`It is about ${found.domain}, which is not a domain of this service.`);
      else if (!addDmarc(tx, { found, domain, row: base(), spaces: spaces.get(domain) ?? [] })) unread(REPEATED, domain);
    }
    for (const found of tls) {
      const domain = domains.all().find(({ returnHost, name }) => returnHost === found.domain || name === found.domain)?.name;
      if (domain === undefined) unread(`It is about ${found.domain}, which is not a host of this service.`);
      else {
        const { reporter, id, begin, end, successful, failed, failures } = found;
        // Of several policies in one report each counts.
        const reportId = `${id}#${found.domain}`;
        const isNew = store.reports.add(tx, {
          ...base(),
          kind: 'tls',
          domain,
          reporter,
          reportId,
          begin,
          end,
          successful,
          failed,
          failures: [...failures],
        });
        if (!isNew) unread(REPEATED, domain);
      }
    }
    for (const problem of problems) unread(problem);
    // Read once only, whether that works or not.
    if (number === 0) unread('It holds no report.');
  }

  /** @returns whether it is new */
  function addDmarc(
    tx: Tx,
    {
      found,
      domain,
      row,
      spaces,
    }: {
      readonly found: DmarcReport;
      readonly domain: string;
      readonly row: Pick<
        Parameters<Store['reports']['add']>[1],
        'returnId' | 'number' | 'receivedAt' | 'proof' | 'problem' | 'successful' | 'failed' | 'failures'
      >;
      readonly spaces: readonly string[];
    },
  ): boolean {
    const { reporter, id, begin, end, rows } = found;
    if (!store.reports.add(tx, { ...row, kind: 'dmarc', domain, reporter, reportId: id, begin, end })) return false;
    const unproven = row.proof?.state === 'unproven';
    const unknown = new Map<string, number>();
    for (const { source, dkim, spf, count } of rows)
      if (!dkim && !spf && !store.reports.isKnown(tx, domain, source)) unknown.set(source, (unknown.get(source) ?? 0) + count);
    store.reports.addRows(
      tx,
      rows.map(({ envelopeFrom, signers, ...more }) => ({
        ...more,
        signers: [...signers],
        envelopeFrom: envelopeFrom ?? null,
        returnId: row.returnId,
        domain,
        // What is said to end in the future would never be forgotten.
        end: Math.min(end, row.receivedAt),
        reporter,
        unproven,
      })),
    );
    announce(tx, { domain, reporter, unproven, unknown, spaces, returnId: row.returnId });
    return true;
  }

  /** Someone who was never seen sends in the name of the domain: an event in each space that sends as it. */
  function announce(
    tx: Tx,
    {
      domain,
      reporter,
      unproven,
      unknown,
      spaces,
      returnId,
    }: {
      readonly domain: string;
      readonly reporter: string;
      readonly unproven: boolean;
      readonly unknown: ReadonlyMap<string, number>;
      readonly spaces: readonly string[];
      readonly returnId: string;
    },
  ): void {
    const sources = [...unknown].sort(([, a], [, b]) => b - a).slice(0, MOST_NAMED);
    if (sources.length === 0) return;
    const total = [...unknown.values()].reduce((sum, count) => sum + count, 0);
    const text = `${unknown.size} new ${unknown.size === 1 ? 'address sends' : 'addresses send'} email as ${domain} that is not authentic, by a report ${unproven ? `that calls itself ${reporter} without proof` : `of ${reporter}`}: ${sources.map(([source]) => source).join(', ')}${unknown.size > sources.length ? ' and others' : ''} (${total} emails).`;
    for (const space of spaces)
      store.events.append(tx, {
        id: `${returnId}:${domain}:${space}`,
        space,
        kind: 'unaligned-source',
        at: clock.now(),
        data: { domain, reporter, proven: !unproven, sources: sources.map(([source, count]) => ({ source, count })), text },
      });
    tx.afterCommit(reported);
  }

  async function step(): Promise<StepResult> {
    const found = store.reports.unread({ addresses: Object.values(REPORT_ADDRESSES), since: clock.now() - WINDOW_MS, limit: BATCH });
    for (const report of found) await read(report);
    return { did: found.length, next: found.length === BATCH ? 'now' : clock.now() + EVERY_MS };
  }

  const loop = workers.add({ name: 'reports', step });
  return {
    arrived: () => {
      loop.wake();
    },
    start: () => {
      loop.start();
    },
    stop: async () => {
      await loop.stop();
      await thread.stop();
    },
  };
}

/** Addresses that an event names. */
const MOST_NAMED = 20;
