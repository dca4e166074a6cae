export {
  type Editions,
  editionCache,
  type LoadedEdition,
  type ReadyTemplate,
  BUILT_IN,
  editionOf,
  type EditionParts,
  OPERATOR_NOTE,
} from './loaded.js';
export { sharedCompiler } from './compile.js';
export { blobs, editions, editionsInUse } from './tables.js';
export { editionStore } from './queries.js';
export type { EditionRecords } from './queries.js';
export { editionRetention } from './retention.js';
export { editionEndpoints } from './endpoints.js';
export { assetRouter } from './assets.js';
export { openEditions } from './feature.js';
export { editionFiles } from './audit-queries.js';
