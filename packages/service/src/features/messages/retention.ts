import type { RetentionAges, RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

/** Messages are kept with all that is known of them; the bytes of emails for a shorter time. */
export function messageRetention({ messages }: Store, ages: RetentionAges): RetentionRule[] {
  return [
    { name: 'bytes of emails', step: (tx, now) => messages.forgetEmails(tx, now - ages.bytes) },
    { name: 'messages', step: (tx, now) => messages.forget(tx, now - ages.records) },
  ];
}
