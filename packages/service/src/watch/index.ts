export { alertMails } from './alert-mails.js';
export { alertWatch, QUARANTINE_RULE, type AlertWatch } from './alerts.js';
export { alertRules, type AlertRules, type RuleInForce } from './rules.js';
export { figureKeeper } from './figures.js';
export { retention, retentionRules, type RetentionRule } from './retention.js';
export { senderFaultNotes, type SenderFaultOptions } from './sender-faults.js';
