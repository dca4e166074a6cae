export type { Credentials } from './auth.js';
export { ClientDialogue, type ClientOptions, type ClientStep } from './client.js';
export { stuffed } from './dots.js';
export { type Envelope, type Outcome, type Phase } from './outcome.js';
export { replyText, ReplyReader, type Reply } from './reply.js';
export { ServerDialogue, type Answer, type ReceivedMail, type ServerOptions, type ServerStep } from './server.js';
