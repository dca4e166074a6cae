export { domainCheckStore, type DomainCheckRecords } from './queries.js';
export type { SendingSpace } from './needs.js';
export type { DomainTrouble } from './checks.js';
export { domainEndpoints } from './endpoints.js';
export { sharePages, type SharePageOptions } from './share-pages.js';
export { openDomainChecks, type DomainWatch } from './feature.js';
