import { readFairnessKey } from '@verbalis/core/delivery';
import { alertValue, fieldsOf, isFiring, isWithinHours, passes, readFilter, type Filter } from '@verbalis/core/events';
import type { Logger } from 'pino';
import { type Clock, type StepResult, type WorkerGroup, newId } from '../../kernel/index.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import type { MeaninglessCalls } from '../callbacks/index.js';
import type { Feed, KnownEvent } from '../events/index.js';
import { builtInFindings, callsCountUntil, type DomainTroubles, type ServiceTroubles } from './built-in.js';
import type { AlertRow } from './queries.js';
import type { Store } from './store.js';
import type { AlertRules, RuleInForce } from './rules.js';

export interface AlertOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  readonly feed: Feed;
  readonly rules: AlertRules;
  /** Calls of providers in which their profile found nothing. */
  readonly meaningless: MeaninglessCalls;
  readonly troubles: ServiceTroubles;
  readonly domains: DomainTroubles;
}

export interface AlertWatch {
  /** Rules have been set or removed. */
  readonly changed: () => void;
  readonly memory: () => string[];
  readonly start: () => void;
  readonly stop: () => Promise<void>;
}

const MINUTE = 60_000;
const EVERY = 30_000;
const SOON = 1_000;
const CHUNK = 1000;
const NAME = 'alerts';

interface Counts {
  events: number;
  handovers: number;
}

/** An alert that begins, or is over. */
interface Change extends Counts, Pick<RuleInForce, 'minutes'> {
  readonly rule: string;
  readonly space: string;
  readonly by: string | undefined;
  readonly group: string;
  readonly value: number;
  readonly firing: boolean;
  readonly text: string;
}

function inWords(rule: RuleInForce, group: string, value: number, { events, handovers }: Counts): string {
  const whom = rule.by === undefined || group === '' ? '' : ` for ${rule.by} ${group}`;
  const what = rule.of.join(' or ');
  if ('queueSeconds' in rule.over) return `The oldest email has waited ${Math.round(value)} s (limit ${rule.over.queueSeconds} s).`;
  if ('fewer' in rule.over)
    return `${events === 0 ? 'No' : `Only ${events}`} ${what}${rule.where === '' ? '' : ` (${rule.where})`} in ${rule.minutes} minutes (at least ${rule.over.fewer} expected).`;
  if ('count' in rule.over) return `${events} ${what} in ${rule.minutes} minutes${whom} (limit ${rule.over.count}).`;
  const share = Number(value.toFixed(value < 1 ? 2 : 1));
  return `${share}% ${what} in ${rule.minutes} minutes${whom}: ${events} of ${Math.max(handovers, events)} (limit ${rule.over.percent}%).`;
}

/** Looks at rules over what happens, and makes an event when one begins to hold or holds no more. */
export function alertWatch({ store, workers, clock, log, feed, rules: written, meaningless, troubles, domains }: AlertOptions): AlertWatch {
  let rules: readonly RuleInForce[] = [];
  let filters = new Map<RuleInForce, Filter | undefined>();
  /** Rule, space and group, minute. */
  let counts = new Map<RuleInForce, Map<string, Map<number, Counts>>>();
  let longest = MINUTE;
  /** Since when each rule over what is missing is watched, by what it says; on the monotonic clock. */
  let watched = new Map<string, number>();
  /** All events up to this one are counted. */
  let at = 0;
  let isStale = true;
  /** Events that no rule can be asked about, until that is written. */
  let poison: { readonly event: KnownEvent; readonly error: unknown }[] = [];

  /** Takes the rules that are in force now, and counts their period again. */
  function begin(): void {
    isStale = false;
    rules = written.all();
    filters = new Map(rules.map((rule) => [rule, readFilter(rule.where).filter]));
    counts = new Map(rules.map((rule) => [rule, new Map<string, Map<number, Counts>>()]));
    const before = watched;
    watched = new Map(rules.map((rule) => [JSON.stringify(rule), before.get(JSON.stringify(rule)) ?? clock.elapsed()]));
    longest = Math.max(1, ...rules.map((rule) => rule.minutes)) * MINUTE;
    at = store.events.before(clock.now() - longest);
  }

  function take(event: KnownEvent): void {
    const { fact } = event;
    // What tells the operator of an alert must not keep it alive.
    if (fact?.template === OPERATOR_NOTE || event.kind === 'alert-firing' || event.kind === 'alert-resolved') return;
    const isHandover = fact?.source === 'attempt' && (event.kind === 'accepted' || event.kind === 'failed');
    const fields = fieldsOf(event);
    for (const rule of rules) {
      const isOf = rule.of.includes(event.kind);
      const filter = filters.get(rule);
      if ((!isOf && !isHandover) || !rule.spaces.includes(event.space) || filter === undefined || !passes(filter, fields)) continue;
      const group = rule.by === undefined ? '' : String(fields[rule.by] ?? '');
      const key = `${event.space}\0${group}`;
      const byGroup = counts.get(rule) as Map<string, Map<number, Counts>>;
      const minutes = byGroup.get(key) ?? new Map<number, Counts>();
      byGroup.set(key, minutes);
      const minute = Math.floor(event.recordedAt / MINUTE);
      const found = minutes.get(minute) ?? { events: 0, handovers: 0 };
      minutes.set(minute, { events: found.events + (isOf ? 1 : 0), handovers: found.handovers + (isHandover ? 1 : 0) });
    }
  }

  function windowOf(minutes: Map<number, Counts>, rule: RuleInForce, now: number): Counts {
    const first = Math.floor((now - rule.minutes * MINUTE) / MINUTE);
    const sum = { events: 0, handovers: 0 };
    for (const [minute, one] of minutes) {
      if (minute <= first) {
        if (minute * MINUTE < now - longest) minutes.delete(minute);
        continue;
      }
      sum.events += one.events;
      sum.handovers += one.handovers;
    }
    return sum;
  }

  /** For how long what could have gone first has waited, by space; in seconds. */
  async function waited(now: number): Promise<ReadonlyMap<string, number>> {
    const all = new Map<string, number>();
    for (const { fairnessKey, oldestDue } of await store.deliveries.queue(now)) {
      const { space } = readFairnessKey(fairnessKey);
      if (oldestDue !== null) all.set(space, Math.max(all.get(space) ?? 0, (now - oldestDue) / 1000));
    }
    return all;
  }

  /** Whether what is missing had its time to come; for other rules always. */
  function isMissing(rule: RuleInForce, row: AlertRow | undefined, now: number): boolean {
    if (!('fewer' in rule.over) || row !== undefined) return true;
    const isWatched = clock.elapsed() - (watched.get(JSON.stringify(rule)) ?? 0) >= rule.minutes * MINUTE;
    return isWatched && (rule.hours === undefined || isWithinHours(rule.hours, now - rule.minutes * MINUTE, now));
  }

  async function look(): Promise<void> {
    if (isStale) begin();
    for (;;) {
      const found = store.events.after(at, CHUNK);
      for (const event of found) {
        try {
          take(event);
        } catch (error) {
          poison.push({ event, error });
        }
        at = event.seq;
      }
      if (found.length < CHUNK) break;
    }
    const now = clock.now();
    const before = new Map(store.alerts.firing().map((row) => [`${row.rule}\0${row.space}\0${row.group}`, row]));
    const waits = rules.some((rule) => 'queueSeconds' in rule.over) ? await waited(now) : undefined;
    for (const rule of rules) {
      const byGroup = counts.get(rule) as Map<string, Map<number, Counts>>;
      const isOfSpace = 'queueSeconds' in rule.over || 'fewer' in rule.over;
      const keys = new Set(isOfSpace ? rule.spaces.map((space) => `${space}\0`) : byGroup.keys());
      for (const row of before.values())
        if (row.rule === rule.name && rule.spaces.includes(row.space)) keys.add(`${row.space}\0${row.group}`);
      for (const key of keys) {
        const [space = '', group = ''] = key.split('\0');
        const counted = windowOf(byGroup.get(key) ?? new Map<number, Counts>(), rule, now);
        const count = { ...counted, queueSeconds: waits?.get(space) ?? 0 };
        const row = before.get(`${rule.name}\0${key}`);
        before.delete(`${rule.name}\0${key}`);
        if (counted.events === 0 && counted.handovers === 0 && row === undefined) byGroup.delete(key);
        const firing = isFiring(rule, count, { wasFiring: row !== undefined }) && isMissing(rule, row, now);
        if (firing === (row !== undefined)) continue;
        const value = alertValue(rule, count) ?? 0;
        const text = firing ? inWords(rule, group, value, counted) : `Resolved: ${rule.name}${group === '' ? '' : ` for ${group}`}.`;
        await write({ ...rule, ...counted, rule: rule.name, space, group, value, firing, text }, row, now);
      }
    }
    // The rules that are always there.
    for (const finding of builtInFindings({ store, rules: written, meaningless, troubles, domains }, now)) {
      const key = `${finding.rule}\0${finding.space}\0${finding.group}`;
      const row = before.get(key);
      before.delete(key);
      if (finding.firing === (row !== undefined)) continue;
      await write({ by: undefined, handovers: 0, minutes: 0, ...finding }, row, now);
    }
    if (poison.length > 0) await quarantine();
    // What still fires by a rule that was removed, or about a domain that is right again.
    for (const row of before.values()) {
      const { space, rule, group, value } = row;
      const text = rule === 'domain' ? `Resolved: the DNS of ${group} is right.` : `Resolved: the rule ${rule} was removed.`;
      const by = undefined;
      await write({ space, rule, by, group, value, firing: false, text, events: 0, handovers: 0, minutes: 0 }, row, now);
    }
  }

  async function quarantine(): Promise<void> {
    const items = poison;
    await store.write((tx) => {
      for (const { event, error } of items) {
        const title = `Event ${event.seq} that counts in no alert rule`;
        const item = { key: String(event.seq), space: event.space, title, payload: { seq: event.seq } };
        store.quarantine.put(tx, { worker: NAME, item, error, id: newId('q', clock.now()) });
      }
    });
    poison = [];
  }

  async function write(change: Change, row: AlertRow | undefined, now: number): Promise<void> {
    const { rule, space, by, group, firing, text, events, handovers, minutes } = change;
    const id = row?.id ?? newId('g', now);
    const value = Math.round(change.value * 10) / 10;
    const since = new Date(row?.since ?? now).toISOString();
    await store.write((tx) => {
      if (firing) store.alerts.fire(tx, { id, space, rule, group, since: now, value, text });
      else store.alerts.resolve(tx, [id], now);
      tx.afterCommit(feed.reported);
      store.events.append(tx, {
        id: `${id}:${firing ? 'firing' : 'resolved'}`,
        space,
        kind: firing ? 'alert-firing' : 'alert-resolved',
        at: now,
        data: {
          alertId: id,
          rule,
          ...(by === undefined ? {} : { by }),
          ...(by === undefined && group === '' ? {} : { group }),
          value,
          events,
          handovers,
          minutes,
          since,
          text,
        },
      });
    });
    log.warn({ rule, space, group, value, firing }, 'an alert has changed');
  }

  const isCounting = (): boolean => [...counts.values()].some((byGroup) => byGroup.size > 0);
  async function step(): Promise<StepResult> {
    try {
      await look();
    } catch (error) {
      // An incomplete count is repeated.
      isStale = true;
      throw error;
    }
    // Where nothing counts and nothing fires, only what comes can change that.
    const isTimed = rules.some((rule) => 'queueSeconds' in rule.over || 'fewer' in rule.over) || isCounting();
    return { did: 1, next: isStale ? 'now' : isTimed ? clock.now() + EVERY : callsCountUntil(meaningless, clock.now()) };
  }

  const worker = workers.add({ name: NAME, step, gatherMs: SOON });
  const changed = (): void => {
    isStale = true;
    worker.wake();
  };
  store.quarantine.register(NAME, {
    retry: (tx) => {
      tx.afterCommit(changed);
    },
  });
  store.quarantine.onChange(worker.wake);
  meaningless.onChange(worker.wake);
  domains.onChange(worker.wake);
  for (const { onChange } of Object.values(troubles)) onChange(worker.wake);
  const stopFollowing = feed.onNew(worker.wake);
  return {
    changed,
    /** The rules that are counted by. */
    memory: (): string[] => rules.map((rule) => `${rule.spaces.join(',')}/${rule.name}`).sort(),
    start: worker.start,
    stop: async () => {
      stopFollowing();
      await worker.stop();
    },
  };
}
