export { senderFaultNotes } from './sender-faults.js';
export { senderFaults } from './tables.js';
export { senderFaultStore, type OperatorNoteRecords } from './queries.js';
export { operatorNoteRetention } from './retention.js';
export { operatorNoteEndpoints } from './endpoints.js';
export { openOperatorNotes } from './feature.js';
