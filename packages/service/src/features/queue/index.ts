export { Dispatcher } from './dispatcher.js';
export { handOver, type HandOverJob, type HandOverSources } from './hand-over.js';
export { handOverPool, type Elsewhere } from './pool.js';
export { QueueSettings } from './settings.js';
export { queueEndpoints } from './endpoints.js';
export { queueMetrics } from './metrics.js';
export { openQueue, type WorkerMethods } from './feature.js';
export { sourcesElsewhere } from './sources.js';
