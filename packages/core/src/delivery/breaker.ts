const SECOND = 1000;
/** Rounds of failures in a row after which a breaker opens. */
const PATIENCE = 3;
const FIRST_REST = 10 * SECOND;
const LONGEST_REST = 10 * 60 * SECOND;

/** A failure, as a breaker counts it. Times are of the monotonic clock, in milliseconds. */
export interface Failure {
  /** When the try that failed began. */
  readonly since: number;
  readonly now: number;
  /** What went wrong, in a sentence. */
  readonly why: string;
  /** How long the other side asks to be left alone. */
  readonly retryAfterMs?: number | undefined;
  /** A failure that took so long that one is enough. */
  readonly isSlow?: boolean | undefined;
}

export type BreakerState =
  | { readonly state: 'closed'; readonly failures: number }
  | { readonly state: 'open'; readonly until: number; readonly since: number; readonly why: string }
  /** The rest is over; one try goes ahead and decides. */
  | { readonly state: 'half-open'; readonly isProbing: boolean; readonly since: number; readonly why: string };

/**
 * Keeps away from what fails. Failures that were under way at the same time are one round: five connections that break at once are one
 * outage. After three rounds it opens and rests, then lets one try go ahead; a success closes it.
 */
export class Breaker {
  #rounds = 0;
  #lastFailure = Number.NEGATIVE_INFINITY;
  #rest = 0;
  #until = 0;
  #probing = false;
  #since = 0;
  #why = '';

  state(now: number): BreakerState {
    if (this.#rest === 0) return { state: 'closed', failures: this.#rounds };
    const [since, why] = [this.#since, this.#why];
    return this.#until > now
      ? { state: 'open', until: this.#until, since, why }
      : { state: 'half-open', isProbing: this.#probing, since, why };
  }

  /** It was open when the service ended: one try goes ahead and decides. */
  restore(since: number, why: string): void {
    this.#rest = FIRST_REST;
    this.#until = Number.NEGATIVE_INFINITY;
    this.#since = since;
    this.#why = why;
  }

  /** A try goes ahead. @returns whether it is the probe of a half-open breaker */
  begin(): boolean {
    if (this.#rest === 0) return false;
    this.#probing = true;
    return true;
  }

  /** A try came to nothing that says anything about the other side. */
  abandon(): void {
    this.#probing = false;
  }

  /** @returns whether it opened just now */
  fail({ since, now, why, retryAfterMs, isSlow = false }: Failure, wasProbe: boolean): boolean {
    const wasOpen = this.#rest > 0;
    if (wasProbe) this.#probing = false;
    this.#why = why;
    if (retryAfterMs !== undefined) this.#open(Math.max(FIRST_REST, this.#rest), now, retryAfterMs);
    // Of one outage: it was under way when the last failure was counted.
    else if (since >= this.#lastFailure || wasProbe) {
      this.#lastFailure = now;
      this.#rounds += 1;
      if (wasProbe || isSlow || (!wasOpen && this.#rounds >= PATIENCE)) {
        const rest = this.#rest === 0 ? FIRST_REST : Math.min(LONGEST_REST, this.#rest * 2);
        this.#open(rest, now, rest);
      }
    }
    if (wasOpen || this.#rest === 0) return false;
    this.#since = now;
    return true;
  }

  /** @returns whether it closed just now */
  succeed(): boolean {
    const wasOpen = this.#rest > 0;
    this.#rounds = 0;
    this.#rest = 0;
    this.#until = 0;
    this.#probing = false;
    return wasOpen;
  }

  #open(rest: number, now: number, wait: number): void {
    this.#rest = rest;
    this.#until = Math.max(this.#until, now + wait);
  }
}
