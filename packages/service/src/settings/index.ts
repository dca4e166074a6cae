export { ConfigError, readConfig, type ConfigFault, type ReadConfig } from './read.js';
export { Settings } from './schema.js';
