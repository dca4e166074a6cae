import type { RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

export function peopleRetention({ people }: Store): RetentionRule[] {
  return [{ name: 'sessions', step: (tx, now) => people.forget(tx, now) }];
}
