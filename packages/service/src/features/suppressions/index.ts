export { inWords, suppressing, type Suppressing } from './suppressing.js';
export { suppressionStore } from './queries.js';
export { suppressions } from './tables.js';
export type { SuppressionRecords, SuppressionRow } from './queries.js';
export { SuppressionSettings } from './settings.js';
export { suppressionEndpoints } from './endpoints.js';
export { openSuppressions } from './feature.js';
export { hiddenKey } from './hidden.js';
