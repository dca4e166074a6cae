import { LRUCache } from 'lru-cache';
import type { Outcome } from '../smtp/index.js';

/** What a provider may be asked to take. */
export interface ProviderLimits {
  /** Emails a second. */
  readonly perSecond?: number | undefined;
  /** Emails a second to one recipient domain. */
  readonly perDomainSecond?: number | undefined;
  /** A ceiling for each day that grows: a new address must earn its reputation. */
  readonly warmUp?: WarmUp | undefined;
}

export interface WarmUp {
  /** Emails on the first day. */
  readonly first: number;
  /** Each day's ceiling is the last one's, times this. */
  readonly growth: number;
  /** From this on there is no ceiling. */
  readonly most: number;
  /** When the first day began, in milliseconds since the epoch. */
  readonly since: number;
}

/** A provider in a route, and how large its share of the router is. */
export interface RouteEntry {
  readonly provider: string;
  readonly share: number;
}

/** A provider for an email; or none now, and when to ask again (milliseconds since the epoch). */
export type Choice = { readonly provider: string } | { readonly waitUntil: number; readonly reason: string };

const DAY = 24 * 60 * 60_000;
const SECOND = 1000;

/** Troubles in a row after which a provider is set aside. */
const PATIENCE = 3;
const FIRST_REST = 10 * SECOND;
const LONGEST_REST = 10 * 60 * SECOND;
/** How long a domain is left alone after it said that we come too often, at first. */
const FIRST_SLOWDOWN = 2 * SECOND;
const LONGEST_SLOWDOWN = 5 * 60 * SECOND;
/** How long an email waits when the probe of a provider is out. */
const PROBE_WAIT = SECOND;
/** How soon a paused provider is looked at again, where nobody tells us of the change. */
const PAUSE_LOOK = SECOND;

/** How many emails a warming provider may take on a day; Infinity once it is warm. */
export function ceilingOf(plan: WarmUp, now: number): number {
  const day = Math.max(0, Math.floor((now - plan.since) / DAY));
  const ceiling = Math.floor(plan.first * plan.growth ** day);
  return ceiling >= plan.most ? Number.POSITIVE_INFINITY : ceiling;
}

const MOST_BUCKETS = 20_000;

/** Tokens that come back with time: `rate` a second, at most a second's worth (at least one) at once. */
class Bucket {
  #tokens: number;
  #at: number;

  constructor(
    private readonly rate: number,
    now: number,
  ) {
    this.#tokens = Math.max(1, rate);
    this.#at = now;
  }

  /** When a token is there, once `less` more have been taken. */
  readyAt(now: number, less = 0): number {
    this.#fill(now);
    const tokens = this.#tokens - less;
    return tokens >= 1 ? now : now + Math.ceil(((1 - tokens) / this.rate) * SECOND);
  }

  take(now: number): void {
    this.#fill(now);
    this.#tokens -= 1;
  }

  #fill(now: number): void {
    this.#tokens = Math.min(Math.max(1, this.rate), this.#tokens + (Math.max(0, now - this.#at) / SECOND) * this.rate);
    this.#at = Math.max(this.#at, now);
  }
}

interface Health {
  troubles: number;
  /** Until when it is set aside; it is probed after. */
  restUntil: number;
  rest: number;
  probing: boolean;
}

interface Slowdown {
  until: number;
  wait: number;
}

/** What a draft has taken, by provider, and by provider and domain. */
interface Taken {
  readonly emails: Map<string, number>;
  readonly probed: Set<string>;
}

/** An email that a provider is chosen for. */
export interface ChoiceInput {
  /** The recipient's. */
  readonly domain: string;
  /** A provider that has just failed this email; it is chosen only if there is no other. */
  readonly avoid?: string | undefined;
  /** Milliseconds since the epoch. */
  readonly now: number;
  /** From 0 to 1, for the shares. */
  readonly random: number;
}

/** Choices that do not count yet. */
export interface RouterDraft {
  readonly choose: (route: readonly RouteEntry[], input: ChoiceInput) => Choice;
  /** The emails are on their way: they count from now on. */
  readonly keep: (now: number) => void;
}

/** Whether an outcome says that we come too often (RFC 3463 4.7.x, or 421). */
function isTooOften({ kind, reply }: Pick<Outcome, 'kind' | 'reply'>): boolean {
  return (
    (kind === 'deferred' || kind === 'trouble') && (reply?.code === 421 || reply?.code === 429 || /^4\.7\./.test(reply?.enhanced ?? ''))
  );
}

/**
 * Which provider takes the next mail: order, shares, health, limits. Knows only what it is told and when; one object a process, since what
 * it remembers is worth nothing after a restart (but for the day's counts, which are given to it).
 */
export class ProviderRouter {
  readonly #health = new Map<string, Health>();
  /** Domains come and go; the bucket of one that is not used is full, and remembers nothing. */
  readonly #buckets = new LRUCache<string, Bucket>({ max: MOST_BUCKETS });
  readonly #slow = new Map<string, Slowdown>();
  readonly #today = new Map<string, { day: number; count: number }>();
  #paused: ReadonlySet<string> = new Set();

  constructor(private readonly limits: ReadonlyMap<string, ProviderLimits>) {}

  /** Providers that are not to be used, by somebody's word. */
  pause(names: ReadonlySet<string>): void {
    this.#paused = names;
  }

  /** How many emails a provider has taken today, as it was found in the records. */
  counted(provider: string, count: number, now: number): void {
    const since = this.limits.get(provider)?.warmUp?.since ?? 0;
    this.#today.set(provider, { day: Math.floor((now - since) / DAY), count });
  }

  /**
   * Whether none of a route's providers takes anything, to whatever domain: all are paused or set aside.
   * @returns when to ask again, in milliseconds since the epoch; undefined when one is open
   */
  closedUntil(route: readonly RouteEntry[], now: number): number | undefined {
    const until = route.map(({ provider }) => this.#closed(provider, now));
    return route.length === 0 || until.some((value) => value === undefined)
      ? undefined
      : Math.min(...until.map((circuit) => circuit?.at ?? now));
  }

  /** Whether another provider than this could take an email now. */
  hasOther(route: readonly RouteEntry[], than: string, domain: string, now: number): boolean {
    return route.some((entry) => entry.provider !== than && this.#freeAt(entry.provider, domain, now).at <= now);
  }

  /** Chooses a provider for one mail and counts the mail against its limits: a draft that is kept at once. */
  choose(route: readonly RouteEntry[], input: ChoiceInput): Choice {
    const draft = this.draft();
    const choice = draft.choose(route, input);
    draft.keep(input.now);
    return choice;
  }

  /**
   * Begins to choose for several emails without counting them: each choice knows those before it in the draft, and nothing else changes until
   * `keep` is called. So choices made in a transaction that is undone leave no trace here.
   */
  draft(): RouterDraft {
    const taken: Taken = { emails: new Map(), probed: new Set() };
    const chosen: { provider: string; domain: string }[] = [];
    return {
      choose: (route, { domain, avoid, now, random }) => {
        if (route.length === 0) return { waitUntil: now + 60 * SECOND, reason: 'the route names no provider' };
        const order = [...inOrder(route, random)].sort((a, b) => Number(a === avoid) - Number(b === avoid));
        let soonest = { at: Number.POSITIVE_INFINITY, reason: '' };
        for (const provider of order) {
          const free = this.#freeAt(provider, domain, now, taken);
          if (free.at <= now) {
            chosen.push({ provider, domain });
            for (const key of [provider, `${provider} ${domain}`]) taken.emails.set(key, (taken.emails.get(key) ?? 0) + 1);
            if (this.#healthOf(provider).rest > 0) taken.probed.add(provider);
            return { provider };
          }
          // Who was asked to come less often waits: a server that greylists wants to see the same sender again.
          if (free.stay === true) return { waitUntil: free.at, reason: free.reason };
          if (free.at < soonest.at) soonest = free;
        }
        return { waitUntil: soonest.at, reason: soonest.reason };
      },
      keep: (now) => {
        for (const { provider, domain } of chosen.splice(0)) this.#take(provider, domain, now);
      },
    };
  }

  /** An email that was counted was not handed over after all, and nothing is known of the provider by it. */
  abandoned(provider: string, now: number): void {
    this.#healthOf(provider).probing = false;
    const count = this.#countToday(provider, now);
    if (count > 0) this.counted(provider, count - 1, now);
  }

  /** What became of an email that was handed over. */
  ended(provider: string, domain: string, outcome: Pick<Outcome, 'kind' | 'reply'>, now: number): void {
    const health = this.#healthOf(provider);
    const probed = health.probing;
    health.probing = false;
    if (outcome.kind === 'trouble') {
      health.troubles += 1;
      if (health.troubles >= PATIENCE || probed) {
        health.rest = Math.min(LONGEST_REST, health.rest === 0 ? FIRST_REST : health.rest * 2);
        health.restUntil = now + health.rest;
      }
    } else if (outcome.kind !== 'uncertain') {
      health.troubles = 0;
      health.rest = 0;
      health.restUntil = 0;
    }
    const key = `${provider} ${domain}`;
    if (isTooOften(outcome)) {
      const wait = Math.min(LONGEST_SLOWDOWN, (this.#slow.get(key)?.wait ?? FIRST_SLOWDOWN / 2) * 2);
      this.#slow.set(key, { until: now + wait, wait });
    } else if (outcome.kind === 'accepted') this.#slow.delete(key);
  }

  /** All that is remembered, but for what time alone fills again (buckets): to be compared with what a fresh start knows. */
  memory(now: number): {
    readonly paused: readonly string[];
    readonly probed: readonly string[];
    readonly today: Readonly<Record<string, number>>;
  } {
    const names = [...this.limits.keys()].sort();
    return {
      paused: [...this.#paused].sort(),
      probed: [...this.#health].flatMap(([name, { probing }]) => (probing ? [name] : [])).sort(),
      today: Object.fromEntries(
        names.flatMap((name) => (this.limits.get(name)?.warmUp === undefined ? [] : [[name, this.#countToday(name, now)] as const])),
      ),
    };
  }

  /** What is known of a provider, for people. */
  stateOf(
    provider: string,
    now: number,
  ): { readonly state: 'working' | 'resting' | 'paused'; readonly until?: number; readonly troubles: number } {
    const health = this.#healthOf(provider);
    if (this.#paused.has(provider)) return { state: 'paused', troubles: health.troubles };
    return health.restUntil > now
      ? { state: 'resting', until: health.restUntil, troubles: health.troubles }
      : { state: 'working', troubles: health.troubles };
  }

  #healthOf(provider: string): Health {
    let health = this.#health.get(provider);
    if (health === undefined) this.#health.set(provider, (health = { troubles: 0, restUntil: 0, rest: 0, probing: false }));
    return health;
  }

  #bucket(key: string, rate: number | undefined, now: number): Bucket | undefined {
    if (rate === undefined) return undefined;
    let bucket = this.#buckets.get(key);
    if (bucket === undefined) this.#buckets.set(key, (bucket = new Bucket(rate, now)));
    return bucket;
  }

  #closed(provider: string, now: number, taken?: Taken): { at: number; reason: string } | undefined {
    if (this.#paused.has(provider)) return { at: now + PAUSE_LOOK, reason: `"${provider}" is paused` };
    const health = this.#healthOf(provider);
    if (health.restUntil > now) return { at: health.restUntil, reason: `"${provider}" is set aside after failures` };
    // After a rest one mail goes ahead; the others wait for what becomes of it.
    if (health.rest > 0 && (health.probing || taken?.probed.has(provider) === true))
      return { at: now + PROBE_WAIT, reason: `"${provider}" is being probed` };
    return undefined;
  }

  #freeAt(provider: string, domain: string, now: number, taken?: Taken): { at: number; reason: string; stay?: boolean } {
    const closed = this.#closed(provider, now, taken);
    if (closed !== undefined) return closed;
    const slow = this.#slow.get(`${provider} ${domain}`);
    if (slow !== undefined && slow.until > now) return { at: slow.until, reason: `${domain} has asked to come less often`, stay: true };
    const limits = this.limits.get(provider);
    if (
      limits?.warmUp !== undefined &&
      this.#countToday(provider, now) + (taken?.emails.get(provider) ?? 0) >= ceilingOf(limits.warmUp, now)
    ) {
      const { since } = limits.warmUp;
      return { at: since + (Math.floor((now - since) / DAY) + 1) * DAY, reason: `"${provider}" has reached its ceiling for today` };
    }
    const key = `${provider} ${domain}`;
    const own = this.#bucket(provider, limits?.perSecond, now)?.readyAt(now, taken?.emails.get(provider)) ?? now;
    const there = this.#bucket(key, limits?.perDomainSecond, now)?.readyAt(now, taken?.emails.get(key)) ?? now;
    return { at: Math.max(own, there), reason: `the limit of "${provider}"` };
  }

  #countToday(provider: string, now: number): number {
    const since = this.limits.get(provider)?.warmUp?.since ?? 0;
    const day = Math.floor((now - since) / DAY);
    const count = this.#today.get(provider);
    return count?.day === day ? count.count : 0;
  }

  #take(provider: string, domain: string, now: number): void {
    const health = this.#healthOf(provider);
    if (health.rest > 0) health.probing = true;
    const limits = this.limits.get(provider);
    this.#bucket(provider, limits?.perSecond, now)?.take(now);
    this.#bucket(`${provider} ${domain}`, limits?.perDomainSecond, now)?.take(now);
    if (limits?.warmUp !== undefined) {
      const day = Math.floor((now - limits.warmUp.since) / DAY);
      this.#today.set(provider, { day, count: this.#countToday(provider, now) + 1 });
    }
  }
}

/** The first by lot, each as often as its share; then the rest in the order of the route. */
function* inOrder(route: readonly RouteEntry[], random: number): Generator<string> {
  const total = route.reduce((sum, entry) => sum + entry.share, 0);
  let left = random * total;
  const first = route.find((entry) => (left -= entry.share) < 0) ?? route.find((entry) => entry.share > 0);
  if (first !== undefined) yield first.provider;
  for (const entry of route) if (entry !== first) yield entry.provider;
}
