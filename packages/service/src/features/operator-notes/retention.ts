import type { RetentionAges, RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

export function operatorNoteRetention({ senderFaults }: Store, ages: RetentionAges): RetentionRule[] {
  return [{ name: 'operator notes', step: (tx, now) => senderFaults.forget(tx, now - ages.records) }];
}
