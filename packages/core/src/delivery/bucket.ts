const SECOND = 1000;

/** Tokens that come back with time: `rate` a second, at most a second's worth (at least one) at once. */
export class Bucket {
  #tokens: number;
  #at: number;

  constructor(
    private readonly rate: number,
    now: number,
  ) {
    this.#tokens = Math.max(1, rate);
    this.#at = now;
  }

  /** When a token is available. */
  readyAt(now: number): number {
    this.#fill(now);
    return this.#tokens >= 1 ? now : now + Math.ceil(((1 - this.#tokens) / this.rate) * SECOND);
  }

  take(now: number): void {
    this.#fill(now);
    this.#tokens -= 1;
  }

  /** Puts back what was taken and not used. */
  restore(): void {
    this.#tokens = Math.min(Math.max(1, this.rate), this.#tokens + 1);
  }

  #fill(now: number): void {
    this.#tokens = Math.min(Math.max(1, this.rate), this.#tokens + (Math.max(0, now - this.#at) / SECOND) * this.rate);
    this.#at = Math.max(this.#at, now);
  }
}
