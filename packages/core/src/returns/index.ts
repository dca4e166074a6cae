export { ACTIONS, readReturn, type Action, type RecipientReport, type ReturnContext, type ReturnKind, type ReturnReading } from './read.js';
export { deliveryOfToken, returnToken, tokenOf } from './token.js';
export { mailsIn } from './mbox.js';
export { writeComplaint, writeReport, type ReportInput } from './write.js';
