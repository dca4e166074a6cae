import type { RetentionAges, RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

/** Messages are kept with all that is known of them; the bytes of emails for a shorter time. */
export function messageRetention({ messages }: Store, ages: RetentionAges): RetentionRule[] {
  return [
    { name: 'bytes of emails', step: (tx, now) => messages.forgetEmails(tx, now - ages.bytes) },
    { name: 'sensitive data', step: (tx) => messages.forgetSensitive(tx) },
    { name: 'bodies by topic', step: (tx, now) => messages.forgetBodies(tx, now) },
    { name: 'data by topic', step: (tx, now) => messages.forgetData(tx, now) },
    { name: 'messages by topic', step: (tx, now) => messages.forgetWhole(tx, now) },
    { name: 'messages', step: (tx, now) => messages.forget(tx, now - ages.records) },
  ];
}
