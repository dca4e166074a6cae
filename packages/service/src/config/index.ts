export { ConfigError, readConfig, type ConfigFault, type ReadConfig } from './read.js';
export { Settings } from './schema.js';
export { readSecrets, type Secrets } from './secrets.js';
