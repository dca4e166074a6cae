export { Dispatcher } from './dispatcher.js';
export { handOver, type HandOverSources } from './hand-over.js';
export { handOverPool } from './pool.js';
export { QueueSettings } from './settings.js';
export { queueEndpoints } from './endpoints.js';
export { queueMetrics } from './metrics.js';
export { openQueue } from './feature.js';
