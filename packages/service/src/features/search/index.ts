export { searchStore } from './queries.js';
export type { SearchRecords } from './queries.js';
export { searchEndpoints } from './endpoints.js';
export { openSearch } from './feature.js';
