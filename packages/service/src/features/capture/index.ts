export { captureStore, reindexCaptured, type CaptureStore } from './capture.js';
export { simulator } from './simulate.js';
export { captured } from './tables.js';
export { capturedStore, holdsWords } from './queries.js';
export type { CaptureRecords } from './queries.js';
export { CaptureSettings } from './settings.js';
export { captureEndpoints } from './endpoints.js';
export { openCapture } from './feature.js';
export { capturedIndexed } from './audit-queries.js';
