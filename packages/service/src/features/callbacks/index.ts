export type { MeaninglessCalls } from './meaningless.js';
export { callbackReceiver, type CallbackReceiver } from './receiver.js';
export { callbackBatches } from './tables.js';
export { callbackStore, type CallbackRecords } from './queries.js';
export { callbackEndpoints } from './endpoints.js';
export { callbackMetrics } from './metrics.js';
export { openCallbacks } from './feature.js';
