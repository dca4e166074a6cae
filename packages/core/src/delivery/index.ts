export { meaningOf, type AttemptMeaning } from './attempt.js';
export { CAUSE_TABLE, CAUSES, type Cause, type CauseRow } from './cause-table.js';
export { causeOf, causeRow, readCause, type CauseEvidence, type CauseReading } from './causes.js';
export type { Fact } from './fact.js';
export { FACT_KINDS, STATE_TABLE, STATES, type FactKind, type FactSource, type State } from './states.js';
export { USUAL_RETRIES, waitAfter, type RetryPlan, type RetryRule } from './retry.js';
export { deciding, isSettled, stateOf } from './state.js';
export { describeDelivery, type DeliveryDescription, type DeliveryHistory } from './timeline.js';
export { isNamed } from './recipients.js';
export {
  ceilingOf,
  ProviderRouter,
  type Choice,
  type RouteEntry,
  type RouterDraft,
  type ProviderLimits,
  type WarmUp,
} from './provider-router.js';
export { instantOf } from './when.js';
export {
  addressKey,
  isSenderFault,
  SUPPRESSION_REASONS,
  suppressionOf,
  USUAL_SUPPRESSION,
  type AddressFact,
  type SuppressionPlan,
  type SuppressionReason,
  type SuppressionVerdict,
} from './suppression.js';
export { claimInOrder, fairnessKey, readFairnessKey, takeInTurn, type Fairness, type Slots, type Turn } from './fairness.js';
