export { retention, type RetentionOptions } from './retention.js';
export { tellSenderFaults, type SenderFaultOptions } from './sender-faults.js';
