export { openBulkSends } from './feature.js';
export { bulkEndpoints } from './endpoints.js';
export { bulkStore, type BulkRecords } from './queries.js';
