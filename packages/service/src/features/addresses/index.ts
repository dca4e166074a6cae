export { addressStore, type AddressRecords } from './queries.js';
export { addressEndpoints } from './endpoints.js';
export { openAddresses } from './feature.js';
export { eraseAgain } from './erase.js';
export { erasuresAfter } from './ledger.js';
