export { deliveryReport, type ReportInput } from './report.js';
export { Fate, Script } from './script.js';
export { startSmtpProvider, type Seen, type StandInOptions, type StandInProvider } from './smtp-provider.js';
