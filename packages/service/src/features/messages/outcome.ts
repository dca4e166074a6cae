import type { State } from '@verbalis/core/delivery';
import type { Store } from './store.js';

/** How an email to one recipient fared. */
export interface SoleOutcome {
  readonly delivery: { readonly state: State; readonly diagnostic: string | undefined };
  /** It will not arrive. */
  readonly hasFailed: boolean;
}

const FAILED: ReadonlySet<State> = new Set(['failed', 'withheld', 'expired', 'canceled']);

/** How a message fared that the service has sent to one recipient; undefined where it is not kept. */
export function outcomeOf(store: Pick<Store, 'messages' | 'deliveries'>, messageId: string): SoleOutcome | undefined {
  const [delivery] = store.messages.deliveriesOf([messageId]);
  if (delivery === undefined) return undefined;
  const diagnostic = store.deliveries.attempts(delivery.id).at(-1)?.diagnostic ?? undefined;
  return { delivery: { state: delivery.state, diagnostic }, hasFailed: FAILED.has(delivery.state) };
}
