export { captureProvider } from './capture.js';
export { fileProvider } from './file.js';
export { httpProvider } from './http.js';
export { logProvider } from './log.js';
export type { Finding, Job, MailParts, Provider } from './provider.js';
export { smtpProvider, type SmtpProviderOptions } from './smtp.js';
