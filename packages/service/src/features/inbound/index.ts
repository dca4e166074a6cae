export { openInbound } from './feature.js';
export { inboundEndpoints } from './endpoints.js';
export { inboundStore, type InboundRecords, type InboundRow } from './queries.js';
export { inbound } from './tables.js';
export { InboundSettings } from './settings.js';
