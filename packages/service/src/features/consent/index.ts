export { consentStore, type ConsentRecords } from './queries.js';
export { ENGAGEMENT } from '@verbalis/core/consent';
export { consents } from './tables.js';
export type { ConsentChange, Consenting } from './consenting.js';
export type { Subscription } from './subscription.js';
export { consentEndpoints } from './endpoints.js';
export { openConsent, UNSUBSCRIBE_ADDRESS, type Consent, type WayOut } from './feature.js';
