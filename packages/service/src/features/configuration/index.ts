export { configurationEndpoints, type ConfigurationEndpoints } from './endpoints.js';
export { openConfiguration } from './feature.js';
