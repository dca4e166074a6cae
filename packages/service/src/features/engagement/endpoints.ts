import { endpointsOf, json, type Clock } from '../../kernel/index.js';
import { engagementOf } from './figures.js';
import { Engagement, EngagementQuery } from './model.js';
import type { Store } from './store.js';

export interface EngagementEndpoints {
  readonly store: Store;
  readonly clock: Clock;
}

const endpoint = endpointsOf<EngagementEndpoints>();

const get = endpoint({
  name: 'engagement.get',
  method: 'get',
  path: '/v1/engagement',
  summary: 'Which links were followed and how often pictures were loaded, by people and by machines',
  description: 'Of topics with `tracking`; counted at the time at which it happened.',
  scope: 'read',
  query: EngagementQuery,
  answers: { 200: json('Counts.', Engagement) },
  run: ({ caller: { space }, query }, { store, clock }) => engagementOf(store, space, { ...query, now: clock.now() }),
});

/** What people do with the email that they get. */
export const engagementEndpoints = [get];
