import type { Cause } from '../smtp/index.js';
import type { FactKind, FactSource } from './states.js';

/** One normalised statement about a delivery. */
export interface Fact {
  /** The same fact reported twice has the same id. */
  readonly id: string;
  readonly kind: FactKind;
  readonly source: FactSource;
  /** Milliseconds since the epoch: when it happened, as far as is known. */
  readonly at: number;
  readonly cause: Cause | undefined;
  /** RFC 3463. */
  readonly status: string | undefined;
  /** RFC 5321. */
  readonly replyCode: number | undefined;
  /** What the other side said, as it said it. */
  readonly diagnostic: string | undefined;
}
