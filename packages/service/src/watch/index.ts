export { tellAlerts } from './alert-mails.js';
export { alertWatch, type AlertWatch } from './alerts.js';
export { alertRules, type AlertRules, type RuleInForce } from './rules.js';
export { figureKeeper } from './figures.js';
export { retention, type RetentionOptions } from './retention.js';
export { tellSenderFaults, type SenderFaultOptions } from './sender-faults.js';
