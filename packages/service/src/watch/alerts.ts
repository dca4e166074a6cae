import { alertValue, fieldsOf, isFiring, passes, readFilter, type Filter } from '@verbalis/core/events';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import { OPERATOR_NOTE } from '../editions/index.js';
import type { Feed } from '../notify/index.js';
import { newId, type AlertRow, type KnownEvent, type Store } from '../store/index.js';
import type { AlertRules, RuleInForce } from './rules.js';

export interface AlertOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly feed: Feed;
  readonly rules: AlertRules;
}

export interface AlertWatch {
  /** Rules have been set or taken away. */
  readonly changed: () => void;
  readonly stop: () => void;
}

const MINUTE = 60_000;
const EVERY = 30_000;
const SOON = 1_000;
const CHUNK = 1000;

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
  if ('queueSeconds' in rule.over)
    return `The oldest mail has waited for ${Math.round(value)} seconds (more than ${rule.over.queueSeconds}).`;
  if ('count' in rule.over) return `${events} ${what} within ${rule.minutes} minutes${whom} (more than ${rule.over.count}).`;
  return `${value.toFixed(1)} % ${what} within ${rule.minutes} minutes${whom}: ${events} of ${Math.max(handovers, events)} (more than ${rule.over.percent} %).`;
}

/** Looks at rules over what happens, and makes an event when one begins to hold or holds no more. */
export function alertWatch({ store, clock, log, feed, rules: written }: AlertOptions): AlertWatch {
  let rules: readonly RuleInForce[] = [];
  let filters = new Map<RuleInForce, Filter | undefined>();
  /** Rule, space and group, minute. */
  let counts = new Map<RuleInForce, Map<string, Map<number, Counts>>>();
  let longest = MINUTE;
  /** All events up to this one are counted. */
  let at = 0;
  let cancel: () => void = () => undefined;
  let isStale = true;

  /** Takes the rules that are in force now, and counts what is within their time anew. */
  function begin(): void {
    isStale = false;
    rules = written.all();
    filters = new Map(rules.map((rule) => [rule, readFilter(rule.where).filter]));
    counts = new Map(rules.map((rule) => [rule, new Map<string, Map<number, Counts>>()]));
    longest = Math.max(1, ...rules.map((rule) => rule.minutes)) * MINUTE;
    at = store.events.before(clock.now() - longest);
  }

  function take(event: KnownEvent): void {
    const { fact } = event;
    // What tells the operator of an alert must not keep it alive.
    if (fact === undefined || fact.template === OPERATOR_NOTE) return;
    const isHandover = fact.source === 'attempt' && (event.kind === 'accepted' || event.kind === 'failed');
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

  function oldest(space: string, now: number): number {
    const waits = store.deliveries.queue(now).filter((one) => one.line.split('/')[1] === space && one.due > 0);
    return waits.length === 0 ? 0 : Math.max(0, now - Math.min(...waits.map((one) => one.oldest))) / 1000;
  }

  async function look(): Promise<void> {
    if (isStale) begin();
    for (;;) {
      const found = store.events.after(at, CHUNK);
      for (const event of found) {
        take(event);
        at = event.seq;
      }
      if (found.length < CHUNK) break;
    }
    const now = clock.now();
    const before = new Map(store.alerts.firing().map((row) => [`${row.rule}\0${row.space}\0${row.group}`, row]));
    for (const rule of rules) {
      const byGroup = counts.get(rule) as Map<string, Map<number, Counts>>;
      const keys = new Set('queueSeconds' in rule.over ? rule.spaces.map((space) => `${space}\0`) : byGroup.keys());
      for (const row of before.values())
        if (row.rule === rule.name && rule.spaces.includes(row.space)) keys.add(`${row.space}\0${row.group}`);
      for (const key of keys) {
        const [space = '', group = ''] = key.split('\0');
        const counted = windowOf(byGroup.get(key) ?? new Map<number, Counts>(), rule, now);
        const count = { ...counted, queueSeconds: 'queueSeconds' in rule.over ? oldest(space, now) : 0 };
        const row = before.get(`${rule.name}\0${key}`);
        before.delete(`${rule.name}\0${key}`);
        if (counted.events === 0 && counted.handovers === 0 && row === undefined) byGroup.delete(key);
        const firing = isFiring(rule, count, row !== undefined);
        if (firing === (row !== undefined)) continue;
        const value = alertValue(rule, count) ?? 0;
        const text = firing ? inWords(rule, group, value, counted) : `Over: ${rule.name}${group === '' ? '' : ` for ${group}`}.`;
        await write({ ...rule, ...counted, rule: rule.name, space, group, value, firing, text }, row, now);
      }
    }
    // What still holds by a rule that is no more.
    for (const row of before.values()) {
      const { space, rule, group, value } = row;
      const text = `Over: there is no rule ${rule} any more.`;
      const by = undefined;
      await write({ space, rule, by, group, value, firing: false, text, events: 0, handovers: 0, minutes: 0 }, row, now);
    }
  }

  async function write(change: Change, row: AlertRow | undefined, now: number): Promise<void> {
    const { rule, space, by, group, firing, text, events, handovers, minutes } = change;
    const id = row?.id ?? newId('g', now);
    const value = Math.round(change.value * 10) / 10;
    const since = new Date(row?.since ?? now).toISOString();
    await store.group.write(() => {
      if (firing) store.alerts.fire({ id, space, rule, group, since: now, value, text });
      else store.alerts.resolve([id], now);
      store.events.append({
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
    feed.told();
  }

  let looking = false;
  const run = (): void => {
    looking = true;
    void look()
      .catch((error: unknown) => {
        log.error({ err: error }, 'alerts could not be looked at');
        isStale = true;
      })
      .finally(() => {
        looking = false;
        if (isStale) arm(SOON);
        // Where nothing counts and nothing holds, only what comes can change that.
        else if (rules.some((rule) => 'queueSeconds' in rule.over) || [...counts.values()].some((byGroup) => byGroup.size > 0)) arm(EVERY);
      });
  };
  const arm = (after: number): void => {
    cancel();
    cancel = clock.at(clock.now() + after, run);
  };
  let soon = false;
  const stopFollowing = feed.onNew(() => {
    if (soon || looking || (rules.length === 0 && !isStale)) return;
    soon = true;
    cancel();
    cancel = clock.at(clock.now() + SOON, () => {
      soon = false;
      run();
    });
  });
  arm(SOON);
  return {
    changed: () => {
      isStale = true;
      if (!looking && !soon) arm(0);
    },
    stop: () => {
      stopFollowing();
      cancel();
    },
  };
}
