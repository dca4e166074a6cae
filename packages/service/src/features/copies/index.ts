export { copyEndpoints } from './endpoints.js';
export { openCopies, type Copies } from './feature.js';
export { copyLedger, ledgerIn } from './folder.js';
export { rebuild } from './rebuild.js';
export { CopySettings } from './settings.js';
export { copyStore, type CopyRecords } from './queries.js';
