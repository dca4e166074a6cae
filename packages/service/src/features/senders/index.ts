export { senderStore, type SenderRecords, type SenderRow } from './queries.js';
export { sendersOf, type Senders, type Standing } from './senders.js';
