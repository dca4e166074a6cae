import { afterCheck } from '@verbalis/core/domains';
import { createHash } from 'node:crypto';
import type { Logger } from 'pino';
import {
  listeners,
  newId,
  type Clock,
  type Listeners,
  type Running,
  type StepResult,
  type Tx,
  type WorkerGroup,
} from '../../kernel/index.js';
import type { Domains, SendingDomain } from '../domains/index.js';
import type { OpenNameServers } from '../name-servers/index.js';
import { checkDomain, type Checked } from './check.js';
import { type OwnNames, needsOf, spacesOf, type SendingSpace } from './needs.js';
import type { DomainStateRow } from './queries.js';
import type { Store } from './store.js';
import type { CheckedRecord } from './tables.js';

export interface CheckOptions {
  readonly store: Store;
  readonly domains: Domains;
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  readonly nameServers: OpenNameServers;
  /** The names of the service. */
  readonly names: OwnNames;
  /** Spaces with what they send as and through. */
  readonly spaces: () => Promise<readonly SendingSpace[]>;
  /** Something was made public. */
  readonly reported: () => void;
  readonly isChecked: boolean;
}

/** Something about a domain that used to be right. */
export interface DomainTrouble {
  readonly domain: string;
  readonly text: string;
}

export interface DomainChecks extends Running {
  /** Checks a domain now; one that is under way is waited for. Nothing happens where the DNS is not asked. */
  readonly check: (name: string) => Promise<DomainStateRow | undefined>;
  /** Checks a domain whose needs have changed. */
  readonly checkAnew: (name: string) => Promise<void>;
  /** A domain was added: it is checked as soon as may be. */
  readonly changed: () => void;
  readonly spaces: CheckOptions['spaces'];
  /** What is wrong with domains of a space that were right before. */
  readonly troublesOf: (space: string) => readonly DomainTrouble[];
  readonly onChange: Listeners['add'];
}

const [MINUTE, HOUR, DAY] = [60_000, 3_600_000, 86_400_000];
/** While something is open, while it has been for more than a day, and when all is right. */
const [OPEN_MS, LONG_OPEN_MS, RIGHT_MS] = [MINUTE, 10 * MINUTE, HOUR];
/** Records that a return host needs before it is used. */
const HOST_PURPOSES: ReadonlySet<string> = new Set(['bounces', 'spf']);
/** Domains that are checked at once. */
const AT_ONCE = 4;

/** Checks domains: every minute while something is open, hourly when all is right, and on request. */
export async function domainChecks(options: CheckOptions): Promise<DomainChecks> {
  const { store, domains, clock, log, workers, nameServers, names, spaces, reported, isChecked } = options;
  const underWay = new Map<string, Promise<DomainStateRow | undefined>>();
  const changes = listeners();
  /** Which spaces send as a domain, as far as the last check knows: for alerts. */
  let known = await spaces();

  const check = (name: string): Promise<DomainStateRow | undefined> => {
    if (!isChecked) return Promise.resolve(undefined);
    let running = underWay.get(name);
    if (running === undefined) {
      running = run(name).finally(() => underWay.delete(name));
      underWay.set(name, running);
    }
    return running;
  };

  /** What a domain needs has changed: a check that began before does not count. */
  const checkAnew = async (name: string): Promise<void> => {
    await underWay.get(name)?.catch(() => undefined);
    await check(name);
  };

  async function run(name: string): Promise<DomainStateRow | undefined> {
    const domain = domains.find(name);
    if (domain === undefined) return undefined;
    known = await spaces();
    const needs = needsOf(domain, known, names);
    const before = store.domainChecks.state(name);
    const found = await checkDomain(domain, { needs, nameServers: nameServers(), now: clock.now() }, before?.records ?? []);
    return store.write((tx) => write(tx, domain, found));
  }

  /** Writes what a check has found, with all that follows from it. */
  function write(tx: Tx, { name }: SendingDomain, found: Checked): DomainStateRow | undefined {
    // While name servers were asked the domain may have been removed.
    const domain = store.domains.find(name, tx);
    if (domain === undefined) return undefined;
    const now = clock.now();
    const before = store.domainChecks.state(name, tx);
    const openSince = found.state === 'right' ? null : (before?.openSince ?? now);
    const wait = openSince === null ? RIGHT_MS : now - openSince > DAY ? LONG_OPEN_MS : OPEN_MS;
    const row: DomainStateRow = {
      domain: name,
      state: found.state,
      checkedAt: now,
      nextCheckAt: now + wait,
      openSince,
      rightSince: before?.rightSince ?? (found.state === 'right' ? now : null),
      records: found.records,
    };
    settle(tx, name, found, now);
    store.domainChecks.setState(tx, row);
    const { state, records, answers, hash } = found;
    store.domainChecks.keep(tx, { id: newId('k', now), domain: name, firstAt: now, hash, state, records, answers });
    announce(tx, row, before);
    tx.afterCommit(changes.call);
    return row;
  }

  /** Which keys sign, and whether the return host is used, follows from what is published. */
  function settle(tx: Tx, name: string, { verdicts, goneKeys }: Checked, now: number): void {
    const keys = store.domains.keys(tx).filter(({ domain }) => domain === name);
    for (const { wanted, state, isPublished, negativeTtl } of verdicts) {
      const key = wanted.purpose === 'dkim' ? keys.find(({ selector }) => selector === wanted.selector) : undefined;
      if (key === undefined) continue;
      const times = afterCheck(key, { isPublished: state === 'unknown' ? undefined : isPublished, negativeTtl, now });
      store.domains.changeKey(tx, key, times);
    }
    for (const key of goneKeys) store.domains.removeKey(tx, key);
    domains.retireReplaced(tx, name, now);
    const host = store.domains.find(name, tx)?.returnHost;
    // While name servers were asked another host may have been chosen: then nothing was found out about it.
    const ofHost = verdicts.filter(({ wanted }) => HOST_PURPOSES.has(wanted.purpose) && wanted.record.name === host);
    const live = store.domains.hosts(tx).find((row) => row.host === host)?.liveFrom ?? null;
    const isKnown = ofHost.length > 0 && ofHost.every(({ state }) => state !== 'unknown');
    const isLive = ofHost.some(({ wanted }) => wanted.purpose === 'bounces') && ofHost.every(({ isPublished }) => isPublished);
    if (host !== undefined && isKnown && isLive !== (live !== null)) store.domains.setLive(tx, host, isLive ? now : null);
    const links = store.domains.linkHosts(tx).find((row) => row.host === store.domains.find(name, tx)?.linkHost);
    const ofLinks = verdicts.find(({ wanted }) => wanted.purpose === 'links' && wanted.record.name === links?.host);
    if (links !== undefined && ofLinks !== undefined && ofLinks.state !== 'unknown' && ofLinks.isPublished !== (links.liveFrom !== null))
      store.domains.setLinkHost(tx, { ...links, liveFrom: ofLinks.isPublished ? now : null });
    domains.changed(tx);
  }

  /** A record that is right now, or no longer: an event in each space that sends as the domain. */
  function announce(tx: Tx, row: DomainStateRow, before: DomainStateRow | undefined): void {
    const changed = row.records.filter((record) => isChanged(record, before?.records ?? []));
    if (changed.length === 0) return;
    const at = row.checkedAt;
    const text = changed.map((record) => sentenceOf(record)).join(' ');
    for (const { name: space } of spacesOf(row.domain, known)) {
      const of = changed.map(({ type, name, known: state }) => ({ type, name, state }));
      const id = createHash('sha256')
        .update(JSON.stringify([space, row.domain, at, of]))
        .digest('hex')
        .slice(0, 32);
      store.events.append(tx, {
        id: `domain:${id}`,
        space,
        kind: 'domain-changed',
        at,
        data: { domain: row.domain, state: row.state, records: of, text },
      });
    }
    tx.afterCommit(reported);
    log.info({ domain: row.domain, state: row.state }, text);
  }

  async function step(): Promise<StepResult> {
    const now = clock.now();
    const due = dueDomains(now);
    for (let at = 0; at < due.length; at += AT_ONCE) await Promise.all(due.slice(at, at + AT_ONCE).map(check));
    const next = Math.min(...store.domainChecks.states().map(({ nextCheckAt }) => nextCheckAt));
    return { did: due.length, next: Number.isFinite(next) ? next : undefined };
  }

  /** Those whose time has come, and those that were never checked. A clock that was set back delays nobody for longer than an hour. */
  function dueDomains(now: number): string[] {
    const states = new Map(store.domainChecks.states().map((row) => [row.domain, row]));
    return domains
      .all()
      .map(({ name }) => name)
      .filter((name) => {
        const row = states.get(name);
        return row === undefined || row.nextCheckAt <= now || row.nextCheckAt > now + RIGHT_MS;
      });
  }

  const loop = isChecked ? workers.add({ name: 'domains', step }) : undefined;
  return {
    check,
    checkAnew,
    spaces,
    changed: () => loop?.wake(),
    start: () => loop?.start(),
    stop: async () => {
      await loop?.stop();
    },
    onChange: changes.add,
    troublesOf(space) {
      const rows = store.domainChecks.states().filter(({ rightSince }) => rightSince !== null);
      return rows.flatMap(({ domain, records }) => {
        if (spacesOf(domain, known).every(({ name }) => name !== space)) return [];
        const wrong = records.filter((record) => record.isRequired && (record.known === 'wrong' || record.known === 'missing'));
        return wrong.length === 0 ? [] : [{ domain, text: wrong.map(sentenceOf).join(' ') }];
      });
    },
  };
}

function isChanged({ name, type, known }: CheckedRecord, before: readonly CheckedRecord[]): boolean {
  const last = before.find((record) => record.name === name && record.type === type);
  if (known === 'unknown') return false;
  // At first only what is right is news: that nothing is there yet is not.
  return last === undefined || last.known === 'unknown' ? known === 'right' : last.known !== known;
}

function sentenceOf({ type, name, known, findings }: CheckedRecord): string {
  const [finding] = findings.filter(({ severity }) => severity !== 'advice');
  return finding?.sentence ?? `The ${type} record at ${name} is ${known}.`;
}
