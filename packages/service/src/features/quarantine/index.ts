export { quarantineEndpoints } from './endpoints.js';
export { openQuarantine } from './feature.js';
