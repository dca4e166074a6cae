export { retention, type RetentionOptions } from './retention.js';
