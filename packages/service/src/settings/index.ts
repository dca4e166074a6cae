export { readConfig, type ReadConfig } from './read.js';
export { Settings } from './schema.js';
