export { readConfig, type ReadConfig } from './read.js';
export { differences, explain, type SettingChange, type SettingView } from './explain.js';
export { settingsSchema } from './json-schema.js';
export { Settings } from './schema.js';
