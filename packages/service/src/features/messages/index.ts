export { acceptor, type Accepted, type Acceptor } from './accept.js';
export { deliveryStore } from './deliveries.js';
export { dueReports } from './due-reports.js';
export type { WaitingDelivery } from './waiting.js';
export { ownFact, type NewFact } from './facts.js';
export type { HeldAttempt, NextAttempt } from './attempts.js';
export type { HeldRow, PassPosition } from './held-queries.js';
export { mayReach } from './key-bounds.js';
export { isOwnField, type SubmittedMail } from './submitted.js';
export { messageStore } from './queries.js';
export {
  BARE_MESSAGE,
  type DeliveryRow,
  type MessageRow,
  type StoredMailbox,
  messages,
  deliveries,
  facts,
  attempts,
  idempotency,
  emails,
} from './tables.js';
export { IdempotencyHeader, idempotencyKeyOf, messageEndpoints } from './endpoints.js';
export { CauseName, FrameQuery, HitFields, Locale, MessageSummary, NewMessage, State, Tracking, type MessageRequest } from './model.js';
export { messageSummary } from './views.js';
export type { Readings } from './readings.js';
export { messageMetrics } from './metrics.js';
export type { MessageRecords } from './records.js';
export { messageRetention } from './retention.js';
export { openMessages } from './feature.js';
export { outcomeOf, type SoleOutcome } from './outcome.js';
export { attemptsCounted, emailsOwned, statesByFacts } from './audit-queries.js';
export { missingMessages } from './missing-queries.js';
