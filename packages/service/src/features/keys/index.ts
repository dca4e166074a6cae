export { hashOf, looksLikeKey, accessStore, type FoundKey } from './queries.js';
export type { KeyRecords } from './queries.js';
export { keyRetention } from './retention.js';
export {
  callerKey,
  mayComeFrom,
  namedSpace,
  OPERATOR,
  operatorCaller,
  refuseGuess,
  type BearerAccess,
  type SpaceSummaries,
  type SpaceSummary,
} from './access.js';
export { keyEndpoints } from './endpoints.js';
export { Guesses } from './guesses.js';
export { spend } from './spending-queries.js';
export { openKeys } from './feature.js';
export { noteUses, type NoteUse } from './use.js';
