export { eventFeed, type Feed } from './feed.js';
export type { KnownEvent } from './list-queries.js';
export { eventStore, type BareEvent } from './queries.js';
export { events } from './tables.js';
export type { EventRecords } from './queries.js';
export { eventRetention } from './retention.js';
export { eventEndpoints, filterOf } from './endpoints.js';
export { FilterText, Kind } from './model.js';
export { openEvents } from './feature.js';
