export { signing, type Signing } from './signing.js';
export { keyStore } from './queries.js';
export type { DomainRecords } from './queries.js';
export { domainEndpoints } from './endpoints.js';
export { openDomains } from './feature.js';
