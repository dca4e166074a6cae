/** What a provider may be asked to accept. */
export interface ProviderLimits {
  /** Concurrent hand-overs; some are reserved for what is urgent and quick. */
  readonly connections?: number | undefined;
  /** Emails that are made while all connections are in use, so that none of them waits for one. */
  readonly ahead?: number | undefined;
  /** Emails a second. */
  readonly perSecond?: number | undefined;
  /** Emails a second to one recipient domain. */
  readonly perDomainSecond?: number | undefined;
  /** Emails on one day and in one month (UTC). */
  readonly perDay?: number | undefined;
  readonly perMonth?: number | undefined;
  /** A ceiling for each day that grows: a new address must earn its reputation. */
  readonly warmUp?: WarmUp | undefined;
  /** Whether a slow recipient domain can make hand-overs slow: for a server that looks at recipients while we wait. */
  readonly isPacedByDomain?: boolean | undefined;
  /** Whether several spaces send through it. */
  readonly isShared?: boolean | undefined;
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
  /** What has a ceiling of its own: the provider as a whole, each space, each domain that is sent from. */
  readonly by?: 'provider' | 'space' | 'sender' | undefined;
}

/** Of so many slots, those that nobody alone may take: a fifth, one at least, where there are two or more. */
export function reserveOf(slots: number): number {
  return slots < 2 ? 0 : Math.max(1, Math.floor(slots / 5));
}
