export { ACTIONS, readReturn, type Action, type RecipientReport, type ReturnReading } from './report.js';
export { deliveryOfToken, returnToken, tokenOf } from './token.js';
