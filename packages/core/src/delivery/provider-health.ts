import { LRUCache } from 'lru-cache';
import type { Outcome, TroubleScope } from '../smtp/index.js';
import { Breaker, type BreakerState } from './breaker.js';
import { DomainPaces, type DomainState } from './domain-pace.js';
import type { Slot } from './provider-slots.js';

/** What changed for people when a hand-over ended: a provider, or what it accepts of a sender or for a domain, is in trouble or works again. */
export interface ProviderChange {
  readonly provider: string;
  readonly scope: Exclude<TroubleScope, 'message'>;
  /** The sender's or recipient's domain; undefined for the whole provider. */
  readonly domain: string | undefined;
  readonly change: 'trouble' | 'recovered';
  readonly why: string;
}

export interface HealthOptions {
  readonly provider: string;
  /** Whether a slow recipient domain can make hand-overs slow. */
  readonly isPacedByDomain: boolean;
  readonly connections: number;
  /** How many domains are remembered. One that is forgotten is treated as new: its breaker is closed. */
  readonly mostDomains: number;
}

/** The whole provider, what it accepts from one sender's domain, or for one recipient's. */
type Scope = ProviderChange['scope'];

const SECOND = 1000;
/** How many different senders and domains in a row in trouble make it the provider's. */
const ESCALATION = 3;
/** An answer that did not come for so long is a wait, not a loss. In milliseconds. */
const SLOW_MS = 5 * SECOND;
/** Words of servers that greylist: each sender and recipient waits for itself, however many others come (RFC 6647). */
const GREYLISTS = /gr[ae]y[- ]?list/i;

/** Whether an outcome says that we come too often (RFC 3463 4.7.x, or 421). */
function isTooOften({ kind, reply }: Pick<Outcome, 'kind' | 'reply'>): boolean {
  if (reply === undefined || (kind !== 'deferred' && kind !== 'trouble')) return false;
  return (reply.code === 421 || /^4\.7\./.test(reply.enhanced ?? '')) && !GREYLISTS.test(reply.lines.join(' '));
}

/** What the outcomes of hand-overs show of one provider: whether it, a sender or a recipient's domain is in trouble, and how fast each domain is. */
export class ProviderHealth {
  readonly #own = new Breaker();
  /** By scope and domain. */
  readonly #breakers: LRUCache<string, Breaker>;
  readonly #paces: DomainPaces;
  /** Senders and domains that were in trouble since the last success. */
  readonly #troubled = new Set<string>();

  constructor(private readonly options: HealthOptions) {
    this.#breakers = new LRUCache({ maxSize: options.mostDomains, sizeCalculation: () => 1 });
    this.#paces = new DomainPaces(options.mostDomains);
  }

  /** It was in trouble when the service ended: one email tries it. @param since on the monotonic clock */
  restore(since: number, why: string): void {
    this.#own.restore(since, why);
  }

  /** Of the whole provider. */
  state(now: number): BreakerState {
    return this.#own.state(now);
  }

  /** Of what it accepts from a sender's domain, or for a recipient's; undefined where nothing is known. */
  stateOf(scope: 'sender' | 'domain', domain: string, now: number): BreakerState | undefined {
    return this.#breakers.get(keyOf(scope, domain))?.state(now);
  }

  /** How a recipient domain is to be treated. @param oldestSince since when the oldest hand-over to it is under way */
  paceOf(domain: string, now: number, oldestSince: number | undefined): DomainState {
    return this.#paces.state(domain, now, oldestSince);
  }

  /** An email is on its way. @returns what it probes */
  begin(sender: string, domain: string): readonly string[] {
    return keysOf(sender, domain).filter((key) => this.#known(key)?.begin() === true);
  }

  /** It was not handed over after all. */
  abandon(probes: readonly string[]): void {
    for (const key of probes) this.#at(key).abandon();
  }

  /** How a hand-over ended. @param since when it had its connection @returns what changed for people */
  ended(slot: Slot, outcome: Outcome, { since, now }: { readonly since: number; readonly now: number }): ProviderChange[] {
    this.#learn(slot.domain, outcome, { since, now });
    const isTrouble = outcome.kind === 'uncertain' || (outcome.kind === 'trouble' && outcome.scope !== 'message');
    return isTrouble ? this.#failed(slot, outcome, { since, now }) : this.#succeeded(slot, outcome);
  }

  #succeeded(slot: Slot, { kind }: Outcome): ProviderChange[] {
    this.#troubled.clear();
    const keys = keysOf(slot.sender, slot.domain);
    // What a message alone is unfit for was said by a server that works.
    const proved = kind === 'trouble' || kind === 'rejected' ? keys.slice(0, 1) : keys;
    return proved.flatMap((key) =>
      this.#known(key)?.succeed() === true ? [{ ...this.#named(key, slot), change: 'recovered' as const, why: '' }] : [],
    );
  }

  #failed(slot: Slot, outcome: Outcome, { since, now }: { readonly since: number; readonly now: number }): ProviderChange[] {
    const [own, ofSender, ofDomain] = keysOf(slot.sender, slot.domain);
    // An answer that was lost may have been waited for by the recipient's server.
    const lost = this.options.isPacedByDomain ? 'domain' : 'provider';
    const scope = outcome.kind === 'uncertain' ? lost : (outcome.scope ?? 'provider');
    const failure = {
      since,
      now,
      why: outcome.reason ?? outcome.reply?.lines.join(' ') ?? 'no answer',
      retryAfterMs: outcome.kind === 'trouble' ? outcome.retryAfterMs : undefined,
      isSlow: outcome.reply === undefined && now - since >= SLOW_MS,
    };
    const failed = scope === 'sender' ? ofSender : scope === 'domain' ? ofDomain : own;
    // A probe that got further than what it probed: the server spoke, and of something else.
    this.abandon(slot.probes.filter((key) => key !== failed));
    const keys = [failed];
    // Words that turn away one domain after another are the provider's own; silence may be that of several slow domains.
    if (failed !== own && outcome.reply !== undefined && this.#troubled.add(failed).size >= ESCALATION) keys.push(own);
    return keys.flatMap((key) =>
      this.#at(key).fail(failure, slot.probes.includes(key))
        ? [{ ...this.#named(key, slot), change: 'trouble' as const, why: failure.why }]
        : [],
    );
  }

  /** What a hand-over shows of the recipient's domain. */
  #learn(domain: string, outcome: Outcome, { since, now }: { readonly since: number; readonly now: number }): void {
    const { isPacedByDomain, connections } = this.options;
    const { kind, phase, reply, retryAfterMs } = outcome;
    const isAnswered = kind !== 'trouble' && kind !== 'uncertain';
    const concernsDomain = isAnswered || phase === 'recipient' || phase === 'data' || phase === 'content';
    if (isPacedByDomain && concernsDomain) {
      if (reply === undefined && !isAnswered) this.#paces.silent(domain, now - since);
      else this.#paces.answered(domain, now - since);
      if (kind === 'accepted') this.#paces.raise(domain, connections);
    }
    if (isTooOften(outcome) || (kind === 'deferred' && retryAfterMs !== undefined)) this.#paces.slowDown(domain, now, retryAfterMs);
    else if (kind === 'accepted' && !isPacedByDomain) this.#paces.raise(domain, Number.POSITIVE_INFINITY);
  }

  #known(key: string): Breaker | undefined {
    return key === OWN ? this.#own : this.#breakers.get(key);
  }

  #at(key: string): Breaker {
    let breaker = this.#known(key);
    if (breaker === undefined) this.#breakers.set(key, (breaker = new Breaker()));
    return breaker;
  }

  #named(key: string, { sender, domain }: Slot): Pick<ProviderChange, 'provider' | 'scope' | 'domain'> {
    const { provider } = this.options;
    if (key === OWN) return { provider, scope: 'provider', domain: undefined };
    return key === keyOf('sender', sender) ? { provider, scope: 'sender', domain: sender } : { provider, scope: 'domain', domain };
  }
}

const OWN = 'provider';

function keyOf(scope: Exclude<Scope, 'provider'>, domain: string): string {
  return `${scope} ${domain}`;
}

function keysOf(sender: string, domain: string): readonly [own: string, ofSender: string, ofDomain: string] {
  return [OWN, keyOf('sender', sender), keyOf('domain', domain)];
}
