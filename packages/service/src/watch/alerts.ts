import { alertValue, fieldsOf, isFiring, passes, readFilter, type AlertRule, type EventKind, type Filter } from '@verbalis/core/events';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import type { Feed } from '../notify/index.js';
import { newId, type AlertRow, type KnownEvent, type Store } from '../store/index.js';

/** A rule as the configuration has it. */
export interface ConfiguredRule extends AlertRule {
  /** Events that it is about. */
  readonly of: readonly EventKind[];
  /** Only these of them, and of the hand-overs. */
  readonly where: string;
  /** Each value of this field is looked at on its own. */
  readonly by: 'topic' | 'template' | 'provider' | 'domain' | 'cause' | undefined;
  /** Spaces that it holds for. */
  readonly spaces: readonly string[];
}

export interface AlertOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly feed: Feed;
  readonly rules: readonly ConfiguredRule[];
}

const MINUTE = 60_000;
const EVERY = 30_000;
const SOON = 1_000;
const CHUNK = 1000;

interface Counts {
  events: number;
  handovers: number;
}

function inWords(rule: ConfiguredRule, group: string, value: number, { events, handovers }: Counts): string {
  const whom = rule.by === undefined || group === '' ? '' : ` for ${rule.by} ${group}`;
  const what = rule.of.join(' or ');
  if ('queueSeconds' in rule.over)
    return `The oldest mail has waited for ${Math.round(value)} seconds (more than ${rule.over.queueSeconds}).`;
  if ('count' in rule.over) return `${events} ${what} within ${rule.minutes} minutes${whom} (more than ${rule.over.count}).`;
  return `${value.toFixed(1)} % ${what} within ${rule.minutes} minutes${whom}: ${events} of ${Math.max(handovers, events)} (more than ${rule.over.percent} %).`;
}

/** Looks at rules over what happens, and makes an event when one begins to hold or holds no more. */
export function alertWatch({ store, clock, log, feed, rules }: AlertOptions): { readonly stop: () => void } {
  const hasQueueRule = rules.some((rule) => 'queueSeconds' in rule.over);
  const filters = new Map<string, Filter | undefined>(rules.map((rule) => [rule.name, readFilter(rule.where).filter]));
  /** Rule, space, group, minute. */
  const counts = new Map<string, Map<string, Map<number, Counts>>>(rules.map((rule) => [rule.name, new Map()]));
  const longest = Math.max(1, ...rules.map((rule) => rule.minutes)) * MINUTE;
  let at = store.events.before(clock.now() - longest);
  let cancel: () => void = () => undefined;

  function take(event: KnownEvent): void {
    const { fact } = event;
    if (fact === undefined) return;
    const isHandover = fact.source === 'attempt' && (event.kind === 'accepted' || event.kind === 'failed');
    const fields = fieldsOf(event);
    for (const rule of rules) {
      const isOf = rule.of.includes(event.kind);
      const filter = filters.get(rule.name);
      if ((!isOf && !isHandover) || !rule.spaces.includes(event.space) || filter === undefined || !passes(filter, fields)) continue;
      const group = rule.by === undefined ? '' : String(fields[rule.by] ?? '');
      const key = `${event.space}\0${group}`;
      const byGroup = counts.get(rule.name) as Map<string, Map<number, Counts>>;
      const minutes = byGroup.get(key) ?? new Map<number, Counts>();
      byGroup.set(key, minutes);
      const minute = Math.floor(event.recordedAt / MINUTE);
      const found = minutes.get(minute) ?? { events: 0, handovers: 0 };
      minutes.set(minute, { events: found.events + (isOf ? 1 : 0), handovers: found.handovers + (isHandover ? 1 : 0) });
    }
  }

  function windowOf(minutes: Map<number, Counts>, rule: ConfiguredRule, now: number): Counts {
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
    for (;;) {
      const found = store.events.after(at, CHUNK);
      for (const event of found) {
        take(event);
        at = event.seq;
      }
      if (found.length < CHUNK) break;
    }
    const now = clock.now();
    const before = new Map(store.figures.firing().map((row) => [`${row.rule}\0${row.space}\0${row.group}`, row]));
    for (const rule of rules) {
      const byGroup = counts.get(rule.name) as Map<string, Map<number, Counts>>;
      const keys = 'queueSeconds' in rule.over ? rule.spaces.map((space) => `${space}\0`) : [...byGroup.keys()];
      for (const [name, row] of before) if (row.rule === rule.name) keys.push(name.slice(rule.name.length + 1));
      for (const key of new Set(keys)) {
        const [space = '', group = ''] = key.split('\0');
        const counted = windowOf(byGroup.get(key) ?? new Map<number, Counts>(), rule, now);
        const count = { ...counted, queueSeconds: 'queueSeconds' in rule.over ? oldest(space, now) : 0 };
        const row = before.get(`${rule.name}\0${key}`);
        if (counted.events === 0 && counted.handovers === 0 && row === undefined) byGroup.delete(key);
        const firing = isFiring(rule, count, row !== undefined);
        if (firing === (row !== undefined)) continue;
        const value = alertValue(rule, count) ?? 0;
        await write(rule, row, { space, group, value, now, counted, firing });
      }
    }
  }

  async function write(
    rule: ConfiguredRule,
    row: AlertRow | undefined,
    {
      space,
      group,
      value,
      now,
      counted,
      firing,
    }: { space: string; group: string; value: number; now: number; counted: Counts; firing: boolean },
  ): Promise<void> {
    const id = row?.id ?? newId('g', now);
    const rounded = Math.round(value * 10) / 10;
    const since = row?.since ?? now;
    await store.group.write(() => {
      if (firing) store.figures.fire({ id, space, rule: rule.name, group, since: now, resolvedAt: null, value: rounded });
      else store.figures.resolve([id], now);
      store.events.append({
        id: `${id}:${firing ? 'firing' : 'resolved'}`,
        space,
        kind: firing ? 'alert-firing' : 'alert-resolved',
        at: now,
        data: {
          alertId: id,
          rule: rule.name,
          ...(rule.by === undefined ? {} : { by: rule.by, group }),
          value: rounded,
          events: counted.events,
          handovers: counted.handovers,
          minutes: rule.minutes,
          since: new Date(since).toISOString(),
          text: firing ? inWords(rule, group, value, counted) : `Over: ${rule.name}${group === '' ? '' : ` for ${group}`}.`,
        },
      });
    });
    log.warn({ rule: rule.name, space, group, value: rounded, firing }, 'an alert has changed');
    feed.told();
  }

  let looking = false;
  const run = (): void => {
    looking = true;
    void look()
      .catch((error: unknown) => {
        log.error({ err: error }, 'alerts could not be looked at');
      })
      .finally(() => {
        looking = false;
        // Where nothing counts and nothing holds, only what comes can change that.
        if (hasQueueRule || [...counts.values()].some((byGroup) => byGroup.size > 0)) arm(EVERY);
      });
  };
  const arm = (after: number): void => {
    cancel();
    cancel = clock.at(clock.now() + after, run);
  };
  if (rules.length === 0) return { stop: () => undefined };
  let soon = false;
  const stopFollowing = feed.onNew(() => {
    if (soon || looking) return;
    soon = true;
    cancel();
    cancel = clock.at(clock.now() + SOON, () => {
      soon = false;
      run();
    });
  });
  arm(SOON);
  return {
    stop: () => {
      stopFollowing();
      cancel();
    },
  };
}
