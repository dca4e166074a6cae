import type { RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

export function sessionRetention({ access }: Store): RetentionRule[] {
  return [{ name: 'sessions', step: (tx, now) => access.forget(tx, now) }];
}
