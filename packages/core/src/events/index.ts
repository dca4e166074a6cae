export { countChanges, type CountChange, type Counted, type CountedDelivery } from './count.js';
export { alertValue, isFiring, isWithinHours, type AlertCount, type AlertRule } from './alert.js';
export {
  ABOUT_NO_DELIVERY,
  EVENT_KINDS,
  eventOf,
  fieldsOf,
  schemaNameOf,
  typeOf,
  type CloudEvent,
  type EventFields,
  type EventInput,
  type EventKind,
  type EventSchemaName,
} from './event.js';
export { passes, readFilter, valuesOf, type Comparison, type Filter, type FilterFault, type ReadFilter } from './filter.js';
export { GIVE_UP_MS, waitBeforeNotice } from './retry.js';
export { isGenuine, SECRET_BYTES, secretText, webhookHeaders } from './signature.js';
export { bucketOf, percentile } from './histogram.js';
export { NotificationSchedule, type Fresh, type Head, type ScheduleLimits } from './schedule.js';
