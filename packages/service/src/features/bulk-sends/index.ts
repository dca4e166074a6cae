export { openBulkSends } from './feature.js';
export { bulkEndpoints } from './endpoints.js';
export { BulkRecipient, BulkSummary } from './model.js';
export { type BulkStarter } from './start.js';
export { bulkStore, type BulkRecords } from './queries.js';
