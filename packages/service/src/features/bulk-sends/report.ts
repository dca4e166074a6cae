import { instant, type Tx } from '../../kernel/index.js';
import type { BulkRow } from './queries.js';
import type { Store } from './store.js';

const WORDS = { done: 'has read all its recipients', canceled: 'was canceled', failed: 'has failed' } as const;

/** Makes the end of a bulk send an event, in the transaction that ends it. */
export function reportEnd(tx: Tx, store: Store, bulk: BulkRow, at: number): void {
  const { id, space, name, common, state, read, accepted, refused, run, problem } = bulk;
  if (state !== 'done' && state !== 'canceled' && state !== 'failed') return;
  const why = state === 'failed' && problem !== null ? `: ${problem.replace(/\.$/, '')}` : '';
  store.events.append(tx, {
    // One that failed may go on, and end again.
    id: `bulk-send:${id}:${state}:${at}`,
    space,
    kind: 'bulk-send-ended',
    at,
    data: {
      bulkSend: id,
      name,
      template: common.template,
      state,
      read,
      accepted,
      refused,
      ...(run === null ? {} : { schedule: run.schedule, plannedAt: instant(run.plannedAt) }),
      text: `The bulk send \u201C${name}\u201D ${WORDS[state]}${why}. ${read} read, ${accepted} accepted, ${refused} refused.`,
    },
  });
}
