export { filterOf, holdEndpoints } from './endpoints.js';
export { openHolds } from './feature.js';
export type { Holding } from './holding.js';
export { EmailFilterFields, namesSomething } from './model.js';
export { holdStore, type HoldRecords } from './queries.js';
