import type { RetentionAges, RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

export function alertRetention({ alerts }: Store, ages: RetentionAges): RetentionRule[] {
  return [{ name: 'alerts', step: (tx, now) => alerts.forget(tx, now - ages.records) }];
}
