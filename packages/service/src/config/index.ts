export { ConfigError, readConfig, type ConfigFault, type ReadConfig } from './read.js';
export { WrittenRule } from './alert-rule.js';
export { Settings, type ProviderSettings } from './schema.js';
export { readSecrets, type Secrets } from './secrets.js';
