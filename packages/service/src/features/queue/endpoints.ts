import { readFairnessKey } from '@verbalis/core/delivery';
import { endpointsOf, instant, json, sparing, type Clock } from '../../kernel/index.js';
import { QueueView } from './model.js';
import type { Store } from './store.js';

export interface QueueEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  /** Attempts of the last hour. */
  readonly lastHour: () => LastHour;
}

const HOUR = 3_600_000;
type LastHour = ReturnType<Store['deliveries']['outcomes']>;

/** Attempts of the last hour; counted anew at most every few seconds. */
export function attemptsOfLastHour(store: Store, clock: Clock): () => LastHour {
  return sparing(() => store.deliveries.outcomes(clock.now() - HOUR));
}

/** A fairness key for people: what is kept in the service waits with what is sent. */
export function shownKey(key: string): { priority: 'essential' | 'optional'; space: string; topic: string | undefined } {
  const { urgent, space, topic } = readFairnessKey(key);
  return { priority: urgent ? 'essential' : 'optional', space, topic };
}

const endpoint = endpointsOf<QueueEndpoints>();

const get = endpoint({
  name: 'queue.get',
  method: 'get',
  path: '/v1/queue',
  summary: 'Deliveries that wait, by topic and state, and the attempts of the last hour',
  scope: 'read',
  answers: { 200: json('By topic and state.', QueueView) },
  run({ caller: { space } }, { store, clock, lastHour }) {
    const rows = store.deliveries
      .queue(clock.now())
      .map((row) => ({ ...row, ...shownKey(row.fairnessKey) }))
      .filter((row) => row.space === space);
    const oldest = rows.map((row) => row.oldest);
    return {
      waiting: rows.reduce((sum, row) => sum + row.n, 0),
      due: rows.reduce((sum, row) => sum + row.due, 0),
      oldest: oldest.length === 0 ? undefined : instant(Math.min(...oldest)),
      topics: rows.map(({ priority, topic, state, n, due, oldest: at }) => ({
        priority,
        topic,
        state,
        waiting: n,
        due,
        oldest: instant(at),
      })),
      lastHour: lastHour().map(({ provider, outcome, n }) => ({ provider, outcome: outcome ?? 'under way', attempts: n })),
    };
  },
});

/** What waits. */
export const queueEndpoints = [get];
