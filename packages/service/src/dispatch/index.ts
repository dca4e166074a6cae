export { Dispatcher, type DispatchOptions } from './dispatcher.js';
export { handOver, type Handed, type HandOverJob, type HandOverSources } from './hand-over.js';
export { handOverPool, type HandOverPool } from './pool.js';
export { composeMail, type ComposedMail, type ComposeSources, type StoredFiles } from './mail.js';
export { providerTrial, type ProviderTrial, type TrialOptions } from './trial.js';
export { testSending } from './testing.js';
