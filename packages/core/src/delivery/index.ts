export { meaningOf, type AttemptMeaning } from './attempt.js';
export { CAUSES, type Cause } from '../smtp/index.js';
export { CAUSE_TABLE, type CauseRow } from './cause-table.js';
export { causeOf, causeRow, readCause, type CauseEvidence, type CauseReading } from './causes.js';
export { HTTP_VERDICTS, httpVerdictRow, namesRecipient } from './http-verdicts.js';
export type { DecidingFact, Fact, HitDetails } from './fact.js';
export { FACT_KINDS, STATE_TABLE, STATES, type FactKind, type FactSource, type State } from './states.js';
export { USUAL_RETRIES, waitAfter, type RetryPlan, type RetryRule } from './retry.js';
export { deciding, isSettled, stateOf } from './state.js';
export { describeDelivery, type DeliveryDescription, type DeliveryHistory } from './timeline.js';
export { isNamed } from './recipients.js';
export { filterText, isMeant, isWithin, type EmailFilter, type FilteredEmail } from './hold.js';
export { type ProviderLimits, type WarmUp } from './provider-limits.js';
export { ProviderSlots, type Slot, type SlotRequest } from './provider-slots.js';
export type { ProviderChange } from './provider-health.js';
export {
  lotOf,
  ProviderRouter,
  type Block,
  type Choice,
  type ChoiceInput,
  type ProviderState,
  type RouteEntry,
  type RouterTime,
} from './provider-router.js';
export { QueueSchedule, type Look, type Position, type ScheduleOptions, type Waiting, type WaitingView } from './queue-schedule.js';
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
export { fairnessKey, readFairnessKey, type Fairness } from './fairness.js';
