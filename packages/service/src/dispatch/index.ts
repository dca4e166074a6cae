export { Dispatcher, type DispatchOptions } from './dispatcher.js';
export { composeMail, type ComposedMail, type ComposeOptions } from './mail.js';
export { providerTrial, type ProviderTrial, type TrialOptions } from './trial.js';
export { testSending } from './testing.js';
