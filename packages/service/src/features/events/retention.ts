import type { RetentionAges, RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

const STEP = 5000;

export function eventRetention({ events }: Store, ages: RetentionAges): RetentionRule[] {
  return [{ name: 'events', step: (tx, now) => events.forget(tx, now - ages.records, STEP) }];
}
