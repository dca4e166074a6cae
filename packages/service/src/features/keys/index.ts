export { looksLikeKey, accessStore } from './queries.js';
export { sessions } from './tables.js';
export type { KeyRecords } from './queries.js';
export { sessionRetention } from './retention.js';
export { accessBy, openToThisMachine, type SpaceSummary } from './access.js';
export { keyEndpoints, SIGN_IN_MS } from './endpoints.js';
export { openKeys } from './feature.js';
