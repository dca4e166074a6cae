/** A bound was passed by what a tenant, a template or a stranger defined or sent. */
export class BudgetExceeded extends Error {
  override name = 'BudgetExceeded';
  constructor(
    /** What has passed which bound: "The filter took more than 10,000 steps." */
    message: string,
    readonly bound: 'steps' | 'bytes' | 'time',
  ) {
    super(message);
  }
}

export interface BudgetLimits {
  readonly steps?: number;
  readonly bytes?: number;
  /** Milliseconds by the monotonic clock. */
  readonly ms?: number;
}

/** How many steps pass between two looks at the clock. */
const LOOK_EVERY = 256;

/** What one piece of work may use of steps, bytes and time; the code that does the work reports each. Deterministic except for the time. */
export class Budget {
  #steps = 0;
  #bytes = 0;
  readonly #from: number;

  /** @param what the work, for the message: "The profile of packet-api" */
  constructor(
    private readonly what: string,
    private readonly limits: BudgetLimits,
    private readonly now: () => number = () => performance.now(),
  ) {
    this.#from = now();
  }

  /** @throws BudgetExceeded */
  step(count = 1): void {
    const { steps = Number.POSITIVE_INFINITY, ms } = this.limits;
    const before = this.#steps;
    this.#steps += count;
    if (this.#steps > steps) throw new BudgetExceeded(`${this.what} took more than ${steps.toLocaleString('en')} steps.`, 'steps');
    const isLook = Math.floor(before / LOOK_EVERY) !== Math.floor(this.#steps / LOOK_EVERY);
    if (ms !== undefined && isLook && this.now() - this.#from > ms)
      throw new BudgetExceeded(`${this.what} took longer than ${ms.toLocaleString('en')} ms.`, 'time');
  }

  /** @throws BudgetExceeded */
  spend(bytes: number): void {
    const { bytes: most = Number.POSITIVE_INFINITY } = this.limits;
    this.#bytes += bytes;
    if (this.#bytes > most) throw new BudgetExceeded(`${this.what} made more than ${most.toLocaleString('en')} bytes.`, 'bytes');
  }
}
