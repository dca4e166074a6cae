export { openPermits, type Permits } from './feature.js';
export { permitEndpoints } from './endpoints.js';
export { permitStore, type PermitRecords } from './queries.js';
