import type { RetentionRule } from '../../kernel/index.js';
import { forgetSpending } from './spending-queries.js';
import type { Store } from './store.js';

export function keyRetention({ access }: Store): RetentionRule[] {
  return [
    { name: 'sessions', step: (tx, now) => access.forget(tx, now) },
    { name: 'keySpending', step: forgetSpending },
  ];
}
