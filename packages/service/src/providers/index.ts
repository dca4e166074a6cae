export { captureProvider } from './capture.js';
export type { Provider } from './provider.js';
export { smtpProvider, type SmtpProviderOptions } from './smtp.js';
