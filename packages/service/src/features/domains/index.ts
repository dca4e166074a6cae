export { domainStore, type DomainRow, type DomainRecords, type SigningKeyRow } from './queries.js';
export { domains } from './tables.js';
export type { Domains, SendingDomain } from './sending-domains.js';
export { openDomains } from './feature.js';
