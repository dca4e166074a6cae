import type { RetentionAges, RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

const STEP = 5000;

/** Notifications that ended well are kept for a shorter time than dead letters. */
export function webhookRetention({ events, subscriptions }: Store, ages: RetentionAges): RetentionRule[] {
  return [
    { name: 'notifications', step: (tx, now) => subscriptions.forget(tx, events.before(now - ages.bytes, tx), STEP) },
    { name: 'dead letters', step: (tx, now) => subscriptions.forgetDead(tx, events.before(now - ages.records, tx), STEP) },
  ];
}
