import type { RetentionAges, RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

const DAY = 24 * 3_600_000;

export function attachmentRetention({ contents }: Store, ages: RetentionAges): RetentionRule[] {
  return [
    { name: 'uploads', step: (tx, now) => contents.forgetUploads(tx, now - ages.records) },
    { name: 'uploads that never ended', step: (tx, now) => contents.forgetUnfinished(tx, now - DAY) },
  ];
}
