export { alertWatch, type ConfiguredRule } from './alerts.js';
export { figureKeeper } from './figures.js';
export { retention, type RetentionOptions } from './retention.js';
export { tellSenderFaults, type SenderFaultOptions } from './sender-faults.js';
