import type { DomainState, Speed } from './domain-pace.js';
import { reserveOf } from './provider-limits.js';

/** A hand-over that is under way, and whose it is. Times are of the monotonic clock, in milliseconds. */
export interface Slot {
  readonly provider: string;
  readonly domain: string;
  readonly sender: string;
  readonly space: string;
  readonly urgent: boolean;
  readonly since: number;
  /** The breakers that it probes. */
  readonly probes: readonly string[];
}

export interface SlotRequest {
  readonly domain: string;
  readonly space: string;
  readonly urgent: boolean;
}

/** Why there is no slot, and for whom else not: everybody, or what goes to the same domain. */
export interface NoSlot {
  readonly scope: 'line' | 'domain';
  readonly reason: string;
}

/** What kinds of hand-overs there are at a provider. */
export interface SlotRules {
  /** Hand-overs beyond the connections: emails that are made while the connections are in use. */
  readonly ahead: number;
  /** Whether a slow recipient domain can make a hand-over slow. */
  readonly isPacedByDomain: boolean;
  /** Whether several spaces send through it. */
  readonly isShared: boolean;
}

/** So long without any answer, and a provider does not answer at all. In milliseconds. */
const STALLED = 5000;

/**
 * The slots of one provider. Nobody alone gets all of its connections: not what can wait, not one space, not one recipient domain, not all
 * domains that are not known to be quick. What is left over each time is a fifth, so that a slow one costs only itself. Emails that are made
 * ahead count where they cannot be slow: to domains that are known to be quick, and are not held back.
 */
export class ProviderSlots {
  /** With when each got its connection. */
  readonly #inUse = new Map<Slot, number | undefined>();
  /** Those that wait for a connection to open, and since when. */
  readonly #opening = new Map<Slot, number>();

  constructor(
    private readonly connections: number,
    private readonly own: SlotRules,
  ) {}

  get used(): number {
    return this.#inUse.size;
  }

  /** Hand-overs that may begin. */
  get free(): number {
    return Math.max(0, this.connections + this.own.ahead - this.#inUse.size);
  }

  add(slot: Slot): void {
    this.#inUse.set(slot, undefined);
  }

  remove(slot: Slot): void {
    this.#inUse.delete(slot);
    this.#opening.delete(slot);
  }

  /** A hand-over waits for a connection to open for longer than usual. @param since when it began to wait */
  opening(slot: Slot, since: number): void {
    if (this.#inUse.has(slot)) this.#opening.set(slot, since);
  }

  /** A hand-over has its connection. */
  connected(slot: Slot, now: number): void {
    this.#opening.delete(slot);
    if (this.#inUse.has(slot) && this.#inUse.get(slot) === undefined) this.#inUse.set(slot, now);
  }

  /** When a hand-over got its connection; undefined while it has none. */
  connectedAt(slot: Slot): number | undefined {
    return this.#inUse.get(slot);
  }

  /** Since when the oldest hand-over to a domain has had its connection; undefined where none has. */
  oldestOf(domain: string): number | undefined {
    let oldest: number | undefined;
    for (const [slot, at] of this.#inUse)
      if (slot.domain === domain && at !== undefined && (oldest === undefined || at < oldest)) oldest = at;
    return oldest;
  }

  /**
   * Since when the provider has not answered at all; undefined while it does. So it is when nothing has begun for a while and either a
   * connection does not open, or all connections are in use and no recipient domain can be the reason.
   */
  stalledSince(now: number): number | undefined {
    const times = this.#times();
    const isFull = !this.own.isPacedByDomain && times.length >= this.#most(false);
    if (times.length === 0 || (!isFull && this.#opening.size === 0)) return undefined;
    return now - Math.max(...times) >= STALLED ? Math.min(...times) : undefined;
  }

  /** When it may turn out that the provider does not answer, should nothing end or begin until then. */
  stallsAt(now: number): number {
    return Math.max(now + 1, Math.max(now - STALLED, ...this.#times()) + STALLED);
  }

  /** Whether there is a slot for what is urgent or not, of a space; whatever its domain. */
  hasRoom({ space, urgent }: Omit<SlotRequest, 'domain'>): boolean {
    if (this.free === 0) return false;
    const most = this.#most(urgent);
    const { ahead } = this.own;
    let [usual, ofSpace] = [0, 0];
    for (const slot of this.#inUse.keys()) {
      if (!slot.urgent) usual += 1;
      if (slot.space === space) ofSpace += 1;
    }
    return (urgent || usual < most + ahead) && (!this.own.isShared || ofSpace < most - reserveOf(most) + ahead);
  }

  /** Why there is no slot for this; undefined where there is one. */
  refusalFor(request: SlotRequest, domain: DomainState, speedOf: (domain: string) => Speed): NoSlot | undefined {
    if (!this.hasRoom(request)) return { scope: 'line', reason: 'all connections that it may use are in use' };
    if (!this.own.isPacedByDomain) return undefined;
    const most = this.#most(request.urgent);
    const share = most - reserveOf(most);
    let [there, unproven, slow, ofSpace] = [0, 0, 0, 0];
    for (const slot of this.#inUse.keys()) {
      if (slot.space === request.space) ofSpace += 1;
      const isThere = slot.domain === request.domain;
      if (isThere) there += 1;
      const speed = isThere ? domain.speed : speedOf(slot.domain);
      if (speed !== 'quick') unproven += 1;
      if (speed === 'slow') slow += 1;
    }
    const isHeldBack = domain.speed !== 'quick' || domain.cap < share;
    if (there >= (isHeldBack ? Math.min(domain.cap, share) : share + this.own.ahead)) {
      const reason = `${there} other emails to ${request.domain} are under way${domain.speed === 'slow' ? ', which answers slowly' : ''}`;
      return { scope: 'domain', reason };
    }
    // What others have under way to slow domains is not this space's.
    if (this.own.isShared && ofSpace === 0) return undefined;
    if (domain.speed === 'slow' && slow >= Math.max(1, Math.floor(most / 5)))
      return { scope: 'domain', reason: `${request.domain} answers slowly, and so do others that are being sent to` };
    if (domain.speed !== 'quick' && unproven >= share)
      return { scope: 'domain', reason: `emails to other domains that answer slowly, or are new, are under way` };
    return undefined;
  }

  /** Since when each has had its connection, or waits for it to open. */
  #times(): number[] {
    return [...[...this.#inUse.values()].flatMap((at) => at ?? []), ...this.#opening.values()];
  }

  /** How many connections there are for what is urgent, or for the rest. */
  #most(urgent: boolean): number {
    return urgent ? this.connections : this.connections - reserveOf(this.connections);
  }
}
