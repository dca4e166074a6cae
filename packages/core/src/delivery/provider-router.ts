import { LRUCache } from 'lru-cache';
import type { Outcome } from '../smtp/index.js';
import { Allowances, type GivenCount } from './allowance.js';
import type { BreakerState } from './breaker.js';
import { Bucket } from './bucket.js';
import { ProviderHealth, type ProviderChange } from './provider-health.js';
import type { ProviderLimits } from './provider-limits.js';
import { ProviderSlots, type Slot } from './provider-slots.js';

/** A provider in a route, and how large its share of the router is. */
export interface RouteEntry {
  readonly provider: string;
  readonly share: number;
}

/** Time for the router: durations are measured by the monotonic clock, days by the date. */
export interface RouterTime {
  /** Of the monotonic clock, in milliseconds. */
  readonly now: number;
  /** In milliseconds since the epoch. */
  readonly date: number;
}

/** An email that a provider is chosen for. */
export interface ChoiceInput extends RouterTime {
  readonly route: readonly RouteEntry[];
  readonly space: string;
  readonly urgent: boolean;
  /** The sender's domain. */
  readonly sender: string;
  /** The recipient's. */
  readonly domain: string;
  /** A provider that has just failed this email; it is chosen only if there is no other. */
  readonly avoid?: string | undefined;
  /** Providers that cannot accept this email. */
  readonly unfit?: readonly string[] | undefined;
  /** The one provider that may be asked, since it may have the email already. */
  readonly only?: string | undefined;
  /** From 0 to 1, for the shares: the lot of an email. */
  readonly lot: number;
}

/** Why an email cannot go now. */
export interface Block {
  /** For whom else not: all of its line (what waits under the same fairness key), what goes to the same domain, or this email alone. */
  readonly scope: 'line' | 'domain' | 'email';
  /** When to ask again at the latest, on the monotonic clock; an email that ends may make room before. */
  readonly at: number;
  readonly reason: string;
}

export type Choice = { readonly provider: string } | { readonly block: Block };

/** A provider's state, for people. Times are of the monotonic clock. */
export interface ProviderState {
  readonly state: 'working' | 'resting' | 'probing' | 'stalled' | 'paused';
  /** Hand-overs that are under way. */
  readonly underWay: number;
  /** Why it is not working. */
  readonly why?: string | undefined;
  readonly since?: number | undefined;
  /** When it is tried again. */
  readonly until?: number | undefined;
}

/** What is asked about besides the route: `now` of the monotonic clock. */
type Lookup = Omit<ChoiceInput, 'route' | 'avoid' | 'unfit' | 'only' | 'lot'>;

const SECOND = 1000;
/** How many domains are remembered. One that is forgotten is treated as new. */
const MOST_DOMAINS = 20_000;
/** Concurrent hand-overs, if none are configured. */
const USUAL_CONNECTIONS = 40;
/** How soon a paused or stalled provider is looked at again, where nobody reports the change. */
const LOOK_AGAIN = SECOND;
const PROBE_WAIT = SECOND;

interface Known {
  readonly limits: ProviderLimits;
  readonly slots: ProviderSlots;
  readonly health: ProviderHealth;
  readonly bucket: Bucket | undefined;
  readonly allowance: Allowances;
}

/**
 * Which provider gets the next email: order, shares, health, slots, limits. Its callers report each hand-over, with the
 * time. It starts with what they restore: the counts of the day, and providers in trouble.
 */
export class ProviderRouter {
  readonly #known = new Map<string, Known>();
  /** By provider and recipient domain. */
  readonly #buckets: LRUCache<string, Bucket>;
  #paused: ReadonlySet<string> = new Set();

  /** @param mostDomains how many domains are remembered for each provider */
  constructor(
    private readonly limits: ReadonlyMap<string, ProviderLimits>,
    private readonly mostDomains = MOST_DOMAINS,
  ) {
    this.#buckets = new LRUCache({ maxSize: mostDomains, sizeCalculation: () => 1 });
  }

  /** Providers that were paused by a person. */
  pause(names: ReadonlySet<string>): void {
    this.#paused = names;
  }

  /** Of the providers of the configuration that may be given only so many emails: since when it must be known how many they were given. */
  allowances(date: number): { readonly provider: string; readonly since: readonly number[] }[] {
    const all = [...this.limits.keys()].map((provider) => ({ provider, since: this.#of(provider).allowance.periods(date) }));
    return all.filter(({ since }) => since.length > 0);
  }

  /** How many emails a provider was given since one of these dates, as it was found in the records. */
  given(provider: string, since: number, counts: readonly GivenCount[]): void {
    this.#of(provider).allowance.restore(since, counts);
  }

  /** A provider was in trouble when the service ended: one email tries it. @param since on the monotonic clock */
  wasInTrouble(provider: string, since: number, why: string): void {
    this.#of(provider).health.restore(since, why);
  }

  /** How many hand-overs may begin now, all providers of a route together. */
  free(route: readonly RouteEntry[]): number {
    return route.reduce((sum, { provider }) => sum + this.#of(provider).slots.free, 0);
  }

  /**
   * Whether nothing of a line can go, to whatever domain.
   * @returns why, and when to ask again; undefined when something may
   */
  lineBlock(route: readonly RouteEntry[], request: { readonly space: string; readonly urgent: boolean } & RouterTime): Block | undefined {
    const blocks = route.map(({ provider }) => this.#providerBlock(provider, request));
    if (blocks.length === 0) return { scope: 'line', at: request.now + 60 * SECOND, reason: 'the route of the space names no provider' };
    return blocks.some((block) => block === undefined) ? undefined : soonest(blocks.flatMap((block) => block ?? []));
  }

  /** Whether nothing to a domain can go; as far as that is known without an email. */
  domainBlock(input: Pick<ChoiceInput, 'route' | 'space' | 'urgent' | 'domain'> & RouterTime): Block | undefined {
    const blocks = input.route.map(({ provider }) => this.#providerBlock(provider, input) ?? this.#domainBlock(provider, input));
    return blocks.length === 0 || blocks.some((block) => block === undefined) ? undefined : soonest(blocks.flatMap((block) => block ?? []));
  }

  /** Whether another provider of a route could accept an email at all, that is known not to be unfit for it. */
  hasFit(route: readonly RouteEntry[], unfit: readonly string[]): boolean {
    return route.some(({ provider }) => !unfit.includes(provider));
  }

  /** Whether another provider than this could be asked now. */
  hasOther(than: string, input: ChoiceInput): boolean {
    return input.route.some(
      ({ provider }) => provider !== than && input.unfit?.includes(provider) !== true && this.#block(provider, input) === undefined,
    );
  }

  /** Chooses a provider for one email. Nothing is counted until `begin`. */
  choose(input: ChoiceInput): Choice {
    const { route, avoid, unfit = [], only, lot, now } = input;
    const fit = route.filter(({ provider }) => !unfit.includes(provider) && (only === undefined || provider === only));
    const isOwn = fit.length < route.length;
    if (fit.length === 0) return { block: { scope: 'email', at: now + 60 * SECOND, reason: 'no provider of its route can accept it' } };
    const order = [...inOrder(fit, lot)].sort((a, b) => Number(a === avoid) - Number(b === avoid));
    const blocks: Block[] = [];
    for (const provider of order) {
      const block = this.#block(provider, input);
      if (block === undefined) return { provider };
      blocks.push(block);
      // It waits for this provider: another is for when this one fails or is at a limit, not for when it is busy.
      if (block.stay === true) break;
    }
    const found = soonest(blocks);
    return { block: isOwn ? { ...found, scope: 'email' } : found };
  }

  /** An email is on its way to a provider: it counts from now on. */
  begin(provider: string, { sender, domain, space, urgent, now, date }: Lookup): Slot {
    const known = this.#of(provider);
    const probes = known.health.begin(sender, domain);
    const slot: Slot = { provider, domain, sender, space, urgent, since: now, probes };
    known.slots.add(slot);
    known.bucket?.take(now);
    this.#bucket(provider, domain, now)?.take(now);
    known.allowance.take(slot, date);
    return slot;
  }

  /** A hand-over waits for a connection to open for longer than usual. @param since when it began to wait */
  opening(slot: Slot, since: number): void {
    this.#of(slot.provider).slots.opening(slot, since);
  }

  /** A hand-over has its connection. */
  connected(slot: Slot, now: number): void {
    this.#of(slot.provider).slots.connected(slot, now);
  }

  /** An email was not handed over after all, and nothing is known of the provider by it. */
  abandoned(slot: Slot, date: number): void {
    const known = this.#of(slot.provider);
    known.slots.remove(slot);
    known.health.abandon(slot.probes);
    known.bucket?.restore();
    this.#buckets.get(`${slot.provider} ${slot.domain}`)?.restore();
    known.allowance.giveBack(slot, date);
  }

  /** How a hand-over ended. @returns what changed for people */
  ended(slot: Slot, outcome: Outcome, { now, date }: RouterTime): ProviderChange[] {
    const { slots, allowance, health } = this.#of(slot.provider);
    // Emails that are made ahead wait here and not there.
    const since = slots.connectedAt(slot) ?? slot.since;
    slots.remove(slot);
    if (outcome.kind !== 'accepted' && outcome.kind !== 'uncertain') allowance.giveBack(slot, date);
    return health.ended(slot, outcome, { since, now });
  }

  /** All that is remembered, but for what time alone fills again: to be compared with what a fresh start knows. */
  memory(date: number): {
    readonly paused: readonly string[];
    readonly underWay: Readonly<Record<string, number>>;
    readonly given: Readonly<Record<string, readonly number[]>>;
  } {
    const used = [...this.#known].flatMap(([name, { slots }]) => (slots.used > 0 ? [[name, slots.used] as const] : []));
    return {
      paused: [...this.#paused].sort(),
      underWay: Object.fromEntries(used),
      given: Object.fromEntries(this.allowances(date).map(({ provider }) => [provider, this.#of(provider).allowance.given(date)])),
    };
  }

  /** What is known of a provider, for people. */
  stateOf(provider: string, now: number): ProviderState {
    const { slots, health: known } = this.#of(provider);
    const underWay = slots.used;
    if (this.#paused.has(provider)) return { state: 'paused', underWay };
    const health = known.state(now);
    if (health.state === 'open') return { state: 'resting', underWay, why: health.why, since: health.since, until: health.until };
    if (health.state === 'half-open') return { state: 'probing', underWay, why: health.why, since: health.since };
    const stalled = slots.stalledSince(now);
    if (stalled !== undefined) return { state: 'stalled', underWay, why: 'It does not answer.', since: stalled };
    return { state: 'working', underWay };
  }

  #of(provider: string): Known {
    let known = this.#known.get(provider);
    if (known === undefined) {
      const limits = this.limits.get(provider) ?? {};
      known = {
        limits,
        slots: new ProviderSlots(limits.connections ?? USUAL_CONNECTIONS, {
          isPacedByDomain: limits.isPacedByDomain === true,
          isShared: limits.isShared === true,
          ahead: limits.ahead ?? 0,
        }),
        health: new ProviderHealth({
          provider,
          isPacedByDomain: limits.isPacedByDomain === true,
          connections: limits.connections ?? USUAL_CONNECTIONS,
          mostDomains: this.mostDomains,
        }),
        bucket: limits.perSecond === undefined ? undefined : new Bucket(limits.perSecond, 0),
        allowance: new Allowances(limits),
      };
      this.#known.set(provider, known);
    }
    return known;
  }

  #bucket(provider: string, domain: string, now: number): Bucket | undefined {
    const rate = this.limits.get(provider)?.perDomainSecond;
    if (rate === undefined) return undefined;
    const key = `${provider} ${domain}`;
    let bucket = this.#buckets.get(key);
    if (bucket === undefined) this.#buckets.set(key, (bucket = new Bucket(rate, now)));
    return bucket;
  }

  /** Why a provider accepts nothing of this kind, to whatever domain. */
  #providerBlock(provider: string, request: { readonly space: string; readonly urgent: boolean } & RouterTime): OwnBlock | undefined {
    const { now, date } = request;
    const { slots, health: known, allowance, bucket } = this.#of(provider);
    const line = (at: number, reason: string): OwnBlock => ({ scope: 'line', at, reason });
    if (this.#paused.has(provider)) return line(now + LOOK_AGAIN, `${provider} is paused`);
    const health = known.state(now);
    if (health.state === 'open') return line(health.until, `${provider} is in trouble: ${health.why}`);
    if (health.state === 'half-open' && health.isProbing)
      return line(now + PROBE_WAIT, `${provider} is being tried again after: ${health.why}`);
    if (slots.stalledSince(now) !== undefined) return line(now + LOOK_AGAIN, `${provider} does not answer`);
    const used = allowance.usedUp(date);
    if (used !== undefined) return line(now + used.until - date, `${provider} has reached ${used.name}`);
    const ready = bucket?.readyAt(now) ?? now;
    if (ready > now) return line(ready, `${provider} is at its limit of emails a second`);
    if (!slots.hasRoom(request))
      return { ...line(slots.stallsAt(now), `all connections to ${provider} that it may use are in use`), stay: true };
    return undefined;
  }

  #domainBlock(provider: string, { domain, space, urgent, now }: Omit<Lookup, 'sender'>): OwnBlock | undefined {
    const { slots, health: known } = this.#of(provider);
    const state = known.paceOf(domain, now, slots.oldestOf(domain));
    // It waits for this provider: a domain that wants fewer emails from us is not to get them by another way.
    if (state.until !== undefined)
      return { scope: 'domain', at: state.until, reason: `${domain} has asked to come less often`, stay: true };
    const health = known.stateOf('domain', domain, now);
    const breaker =
      health === undefined ? undefined : breakerBlock(health, 'domain', `${provider} does not accept email to ${domain}`, now);
    if (breaker !== undefined) return breaker;
    const ready = this.#bucket(provider, domain, now)?.readyAt(now) ?? now;
    if (ready > now) return { scope: 'domain', at: ready, reason: `${provider} is at its limit of emails a second to ${domain}` };
    const none = slots.refusalFor({ domain, space, urgent }, state, (other) => known.paceOf(other, now, slots.oldestOf(other)).speed);
    return none === undefined ? undefined : { ...none, at: slots.stallsAt(now), stay: true };
  }

  #block(provider: string, input: Lookup): OwnBlock | undefined {
    const block = this.#providerBlock(provider, input) ?? this.#domainBlock(provider, input);
    if (block !== undefined) return block;
    const used = this.#of(provider).allowance.usedUpBy(input, input.date);
    if (used !== undefined)
      return { scope: used.scope, at: input.now + used.until - input.date, reason: `${provider} has reached ${used.name}` };
    const health = this.#of(provider).health.stateOf('sender', input.sender, input.now);
    const what = `${provider} does not accept email from ${input.sender}`;
    return health === undefined ? undefined : breakerBlock(health, 'email', what, input.now);
  }
}

interface OwnBlock extends Block {
  /** Whether the email waits for this provider though another has room. */
  readonly stay?: boolean;
}

function breakerBlock(health: BreakerState, scope: Block['scope'], what: string, now: number): OwnBlock | undefined {
  if (health.state === 'closed' || (health.state === 'half-open' && !health.isProbing)) return undefined;
  return { scope, at: health.state === 'open' ? health.until : now + PROBE_WAIT, reason: `${what}: ${health.why}` };
}

const WIDTH: Readonly<Record<Block['scope'], number>> = { line: 0, domain: 1, email: 2 };

/** Of several blocks: the soonest to end, and the narrowest scope, since another email may be free of that one. */
function soonest(blocks: readonly Block[]): Block {
  let [first] = blocks as [Block, ...Block[]];
  let { scope } = first;
  for (const block of blocks) {
    if (WIDTH[block.scope] > WIDTH[scope]) ({ scope } = block);
    if (block.at < first.at) first = block;
  }
  return { scope, at: first.at, reason: first.reason };
}

/** The lot of an address, from 0 to 1: always the same, so that a retry goes where the first attempt went, and spread evenly (FNV-1a). */
export function lotOf(address: string): number {
  let hash = 0x811c9dc5;
  for (const byte of Buffer.from(address.toLowerCase(), 'utf8')) hash = Math.imul(hash ^ byte, 0x01000193);
  // The last bytes of an address are the same for many: mixed once more.
  hash = Math.imul(hash ^ (hash >>> 15), 0x2c1b3c6d);
  return ((hash ^ (hash >>> 13)) >>> 0) / 2 ** 32;
}

/** The first by lot, each as often as its share; then the rest in the order of the route. */
function* inOrder(route: readonly RouteEntry[], lot: number): Generator<string> {
  const total = route.reduce((sum, entry) => sum + entry.share, 0);
  let left = lot * total;
  const first = route.find((entry) => (left -= entry.share) < 0) ?? route.find((entry) => entry.share > 0);
  if (first !== undefined) yield first.provider;
  for (const entry of route) if (entry !== first) yield entry.provider;
}
