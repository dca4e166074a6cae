export { dayKeysFolder, dayKeysIn } from './day-keys.js';
export { boxStore, type BoxRecords } from './queries.js';
export { isKeyedHash, sensitiveData, type Opened, type SensitiveData } from './sensitive-data.js';
export { sensitiveBoxes } from './tables.js';
