export { countFact } from './counting.js';
export { openEngagement, type EngagementFeature, type TrackingOf } from './feature.js';
export { engagementEndpoints } from './endpoints.js';
export { engagementStore, type EngagementRecords } from './queries.js';
export { trackEmail, type EmailTracking } from './tracking.js';
