import type { RetentionAges, RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

/** Returns are kept with what was read out of them; their bytes for a shorter time. */
export function returnRetention({ returns }: Store, ages: RetentionAges): RetentionRule[] {
  return [
    { name: 'bytes of returns', step: (tx, now) => returns.forgetBytes(tx, now - ages.bytes) },
    { name: 'returns', step: (tx, now) => returns.forget(tx, now - ages.records) },
  ];
}
