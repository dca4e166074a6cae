import type { Cause } from '../smtp/index.js';
import type { FactKind, FactSource } from './states.js';

/** Of a link that was followed or a picture that was loaded: by whom, and which. */
export interface HitDetails {
  readonly by: 'person' | 'machine' | 'unknown';
  /** How that is known, in a sentence. */
  readonly reason: string;
  readonly link?: {
    /** Where it leads; absent where the data of the email is no longer kept. */
    readonly url?: string | undefined;
    /** Its words. */
    readonly label: string;
    /** From 1, in the order of the email; 0 where only its address is known. */
    readonly index: number;
    /** The block that contains it; empty for none. */
    readonly block: string;
  };
}

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
  /** The reply of the other side, unchanged. */
  readonly diagnostic: string | undefined;
  readonly details?: HitDetails | undefined;
}

/** What of a fact decides about the state of its delivery. */
export type DecidingFact = Pick<Fact, 'id' | 'kind' | 'source' | 'at'>;
