import { createHash, createHmac } from 'node:crypto';
import { judgeHit, type Hit } from '@verbalis/core/engagement';
import type { HitDetails } from '@verbalis/core/delivery';
import type { Logger } from 'pino';
import { Counter, type Registry } from 'prom-client';
import { StoreUnavailable, type Clock, type Running, type StepResult, type Tx, type WorkerGroup } from '../../kernel/index.js';
import { ownFact } from '../messages/index.js';
import { Backlog, CURSOR } from './backlog.js';
import { JournalFile, type JournalEntry } from './journal.js';
import type { LinkListener } from './link-listener.js';
import type { LinkRules } from './links-thread.js';
import { hitNotes, mailOf, type Note } from './notes.js';
import type { Store } from './store.js';
import type { EngagementRow } from './queries.js';
import { LAST_HOUR } from './tables.js';

/** A hit is judged when all that could speak against it has come, in milliseconds. */
const SETTLE_MS = 12_000;
/** Hits that are written in one transaction. */
const CHUNK = 200;
/** What is remembered of an email to judge the next hit on it, in milliseconds. */
const REMEMBERED_MS = 60_000;
/** When nothing waits any more, the journal is emptied after so long. */
const CLEAR_MS = 5000;
const [MINUTE, HOUR] = [60_000, 3_600_000];

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  readonly registry: Registry;
  /** Of the journal, beside the database. */
  readonly file: string;
  readonly secret: Uint8Array;
  /** A thread that has links and journal; undefined where both are here. */
  readonly links: LinkListener | undefined;
  readonly rules: LinkRules;
  readonly isLinkHost: (host: string) => boolean;
}

export interface Hits extends Running {
  readonly note: Note;
  /** Something may be due. */
  readonly wake: () => void;
  readonly close: () => void;
}

function hitOf({ id, at, index, method, agent, purpose, from }: JournalEntry): Hit {
  return { id, at, index, method, agent, purpose, from };
}

/** Takes hits in, judges them a little later, and writes what they mean. */
export function hitRecorder({ store, clock, log, workers, registry, file, secret, links, rules, isLinkHost }: Options): Hits {
  const backlog = new Backlog(file, store.events.cursor(CURSOR), (error) => {
    log.error({ err: error, file }, 'hits that wait in the journal cannot be read');
  });
  const written = (entries: readonly JournalEntry[]): void => {
    backlog.add(entries);
    worker.wake();
  };
  const journal = links?.journal ?? new JournalFile(file, backlog.last, written);
  /** Hits of the last minute by email: those that are written, and those that wait. */
  const recent = new Map<string, Hit[]>();
  let reported = -MINUTE;
  const counters = {
    hits: new Counter({
      name: 'verbalis_hits_total',
      help: 'Links followed and pictures loaded',
      labelNames: ['by'],
      registers: [registry],
    }),
    lost: new Counter({ name: 'verbalis_hits_lost_total', help: 'Hits that could not be noted', registers: [registry] }),
  };

  const lost = (error: unknown): void => {
    counters.lost.inc();
    if (clock.elapsed() - reported < MINUTE) return;
    reported = clock.elapsed();
    log.error({ err: error, file }, 'a hit could not be noted');
  };

  const remember = (entry: JournalEntry): void => {
    const mail = mailOf(entry);
    const list = recent.get(mail);
    if (list === undefined) recent.set(mail, [hitOf(entry)]);
    else if (!list.some(({ id }) => id === entry.id)) list.push(hitOf(entry));
  };
  let forgotten = 0;
  const forgetOld = (now: number): void => {
    // Looking through all emails each time would cost more than what is remembered.
    if (Math.abs(now - forgotten) < REMEMBERED_MS / 10) return;
    forgotten = now;
    for (const [mail, list] of recent) {
      const kept = list.filter(({ at }) => Math.abs(now - at) < REMEMBERED_MS);
      if (kept.length === 0) recent.delete(mail);
      else recent.set(mail, kept);
    }
  };

  function verdictOf(entry: JournalEntry, sentAt: number | undefined): Pick<HitDetails, 'by' | 'reason'> {
    return judgeHit(hitOf(entry), recent.get(mailOf(entry)) ?? [hitOf(entry)], { sentAt, links: entry.links });
  }

  /** What a hit on the email of a recipient means: a fact. What is counted of it follows from that. */
  function writeFact(tx: Tx, entry: JournalEntry, deliveryId: string): void {
    const delivery = store.deliveries.find(deliveryId, tx);
    // It was removed since: nothing may be known of it any more.
    if (delivery === undefined) return;
    const sentAt = store.deliveries.facts(deliveryId, tx).find(({ kind }) => kind === 'accepted')?.at;
    const { index, label, block, url } = entry;
    const details = { ...verdictOf(entry, sentAt ?? delivery.createdAt), ...(index > 0 ? { link: { url, label, index, block } } : {}) };
    counters.hits.inc({ by: details.by });
    const kind = index > 0 ? 'link-followed' : 'image-loaded';
    store.deliveries.record(tx, ownFact({ id: `hit:${entry.id}`, deliveryId, kind, at: entry.at, details }), clock.now());
  }

  /** What a hit counts as, where nothing is tied to a person; undefined for one that is a fact, which is written. */
  function write(tx: Tx, entry: JournalEntry): EngagementRow | undefined {
    const { of, at, index, label } = entry;
    if (of.mode === 'individual') {
      writeFact(tx, entry, of.deliveryId);
      return undefined;
    }
    const sentAt = of.sentMinute * MINUTE;
    const { by } = verdictOf(entry, sentAt);
    counters.hits.inc({ by });
    const { space, template, topic } = of;
    return { space, at: hourOf(at), template, topic, link: index, label, by, age: ageOf(at, sentAt), n: 1, firsts: 0 };
  }

  async function writeAll(entries: readonly JournalEntry[]): Promise<void> {
    await store.write((tx) => {
      const sums = new Map<string, EngagementRow>();
      for (const entry of entries) {
        const row = write(tx, entry);
        if (row === undefined) continue;
        const key = JSON.stringify(row);
        sums.set(key, { ...row, n: (sums.get(key)?.n ?? 0) + 1 });
      }
      for (const row of sums.values()) store.engagement.add(tx, row);
      store.events.setCursor(tx, CURSOR, entries.at(-1)?.n ?? 0);
    });
  }

  /** One of several cannot be written: the others are. */
  async function writeEach(entries: readonly JournalEntry[]): Promise<void> {
    for (const entry of entries)
      try {
        await writeAll([entry]);
      } catch (error) {
        if (error instanceof StoreUnavailable) throw error;
        counters.lost.inc();
        log.error({ err: error, hit: entry.id }, 'a hit could not be written');
        await store.write((tx) => {
          store.events.setCursor(tx, CURSOR, entry.n);
        });
      }
  }

  async function step(): Promise<StepResult> {
    backlog.refill();
    const now = clock.now();
    // A date that lies ahead was noted before the clock was set back: nothing is gained by waiting for it.
    const isDue = ({ at }: JournalEntry): boolean => now - at >= SETTLE_MS || at > now + MINUTE;
    const [first] = backlog.waiting;
    if (first === undefined) {
      forgetOld(now);
      if (cleared === undefined) cleared = clock.elapsed() + CLEAR_MS;
      if (clock.elapsed() < cleared) return { did: 1, next: now + CLEAR_MS };
      await backlog.clear(journal);
      cleared = undefined;
      return { did: 0 };
    }
    cleared = undefined;
    for (const entry of backlog.waiting) if (entry.n > seen) remember(entry);
    seen = Math.max(seen, backlog.waiting.at(-1)?.n ?? 0);
    const due: JournalEntry[] = [];
    for (const entry of backlog.waiting) {
      if (due.length >= CHUNK || !isDue(entry)) break;
      due.push(entry);
    }
    const last = due.at(-1);
    if (last === undefined) return { did: 0, next: first.at + SETTLE_MS };
    try {
      await writeAll(due);
    } catch (error) {
      if (error instanceof StoreUnavailable) throw error;
      await writeEach(due);
    }
    backlog.taken(last.n);
    forgetOld(now);
    return { did: due.length, next: 'now' };
  }

  /** When the journal is emptied, by the monotonic clock. */
  let cleared: number | undefined;
  /** Up to which place entries are remembered. */
  let seen = 0;
  for (const entry of backlog.before) remember(entry);
  // A group of hits is looked at once.
  const worker = workers.add({ name: 'engagement', step, gatherMs: 250 });
  links?.serve({
    rules,
    written,
    lost: ({ message, code }) => {
      lost(Object.assign(new Error(message), { code }));
    },
    isLinkHost,
    missed: () => {
      backlog.missed();
      worker.wake();
    },
  });
  return {
    note: hitNotes({ secret, now: () => clock.now(), append: (entry) => journal.append(entry), lost }),
    wake: worker.wake,
    start: () => {
      worker.start();
      worker.wake();
    },
    stop: () => worker.stop(),
    close: () => journal.close(),
  };
}

export const hourOf = (at: number): number => at - (at % HOUR);

/** Whole hours after an email was sent; what is not known counts as the first. */
export function ageOf(at: number, sentAt: number): number {
  return Math.max(0, Math.min(LAST_HOUR, Math.floor((at - sentAt) / HOUR)));
}

/** Tells emails of one template and minute apart for as long as hits are judged; nobody without the key can find the delivery by it. */
export function groupOf(secret: Uint8Array, deliveryId: string): string {
  return createHash('sha256')
    .update(createHmac('sha256', secret).update(`group\0${deliveryId}`).digest())
    .digest('base64url')
    .slice(0, 6);
}
