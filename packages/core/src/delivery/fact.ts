import type { Cause } from './cause-table.js';

export const STATES = ['queued', 'delayed', 'accepted', 'delivered', 'failed', 'complained', 'withheld', 'expired', 'canceled'] as const;
export type State = (typeof STATES)[number];

export const FACT_KINDS = [
  'accepted',
  'delayed',
  'relayed',
  'delivered',
  'failed',
  'complained',
  'withheld',
  'expired',
  'canceled',
  // Consent and engagement are beside the state and never decide it.
  'topic-left',
  'topic-rejoined',
  'link-followed',
  'image-loaded',
] as const;
export type FactKind = (typeof FACT_KINDS)[number];

/** Where a fact comes from: our own attempt, something that came back, or a decision of the service. */
export type FactSource = 'attempt' | 'return' | 'service';

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
