export type { Action, RecipientReport } from './judge.js';
export { readReturn, type ReturnContext, type ReturnKind, type ReturnReading } from './read.js';
export { deliveryOfReplyLocal, deliveryOfToken, replyLocal, returnToken, tokenOf } from './token.js';
export { bareId } from './original.js';
export { emailsIn } from './mbox.js';
export { fingerprintOf } from './fingerprint.js';
export { writeComplaint, writeReport, type ReportInput } from './write.js';
