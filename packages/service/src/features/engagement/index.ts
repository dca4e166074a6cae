export { countFact } from './counting.js';
export { openEngagement, type EngagementFeature, type TrackingOf } from './feature.js';
export { openLinkListener, type LinkListener } from './link-listener.js';
export { LinkSettings } from './settings.js';
export { engagementEndpoints } from './endpoints.js';
export { engagementStore, type EngagementRecords } from './queries.js';
export { trackEmail, type EmailTracking } from './tracking.js';
