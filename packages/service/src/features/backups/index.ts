export { backupEndpoints } from './endpoints.js';
export { openBackups, type OpenedBackups } from './feature.js';
export { lastBackupIn } from './files.js';
export { BackupSettings } from './settings.js';
