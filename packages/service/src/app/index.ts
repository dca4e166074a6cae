export { StartError, type Clock } from '../kernel/index.js';
export { backupDatabase, startService, type Service, type StartOptions } from './service.js';
