export { backupEndpoints } from './endpoints.js';
export { openBackups, type OpenedBackups } from './feature.js';
export { BackupSettings } from './settings.js';
