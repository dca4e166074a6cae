export { hashOf, looksLikeKey, accessStore, type FoundKey } from './queries.js';
export { sessions } from './tables.js';
export type { KeyRecords } from './queries.js';
export { keyRetention } from './retention.js';
export { accessBy, callerKey, mayComeFrom, openToThisMachine, type SpaceSummary } from './access.js';
export { keyEndpoints } from './endpoints.js';
export { spend } from './spending-queries.js';
export { openKeys } from './feature.js';
export { noteUses, type NoteUse } from './use.js';
