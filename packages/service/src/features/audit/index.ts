export { auditEndpoints } from './endpoints.js';
export { openAudit } from './feature.js';
export { auditStore, type AuditRecords } from './queries.js';
export { auditEntries } from './tables.js';
