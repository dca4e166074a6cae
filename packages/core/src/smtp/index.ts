export type { Credentials } from './auth.js';
export { ClientDialogue, type ClientOptions, type ClientStep } from './client.js';
export { stuffed } from './dots.js';
export { CAUSES, type Cause } from './cause-names.js';
export { PHASES, type Envelope, type Outcome, type Phase, type TroubleScope } from './outcome.js';
export { readProxyHeader, type ProxyHeader } from './proxy.js';
export { replyText, ReplyReader, type Reply } from './reply.js';
export { ServerDialogue, type Answer, type ReceivedEnvelope, type ServerOptions, type ServerStep } from './server.js';
export { VERDICTS, verdictOf, verdictRow } from './verdicts.js';
