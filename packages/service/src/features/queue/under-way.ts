import type { Slot } from '@verbalis/core/delivery';
import type { DeliveryRow, HeldAttempt } from '../messages/index.js';

/** An email that is under way. */
export interface UnderWay {
  readonly row: DeliveryRow;
  /** The trace that its message belongs to, once the message was read. */
  traceparent?: string | undefined;
  /** When it became due. */
  readonly at: number;
  /** Its slot at the provider; undefined when it has been given back. */
  slot: Slot | undefined;
  attempt: HeldAttempt;
  /** Whether the provider asked and was refused, or gave up before it could ask: nothing was sent. */
  isDenied: boolean;
  /** Whether what follows for it was written. */
  isConcluded: boolean;
  work: Promise<void>;
}
