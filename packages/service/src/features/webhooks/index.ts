export { notifier } from './notifier.js';
export { subscriptionStore, type NotificationRow } from './queries.js';
export type { WebhookRecords } from './queries.js';
export { webhookRetention } from './retention.js';
export { subscriptionEndpoints } from './endpoints.js';
export { openWebhooks } from './feature.js';
