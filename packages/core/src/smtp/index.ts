export { ClientDialogue, classify, type ClientOptions, type ClientStep, type Envelope, type Outcome, type Phase } from './client.js';
export { stuffed } from './dots.js';
export { replyText, ReplyReader, type Reply } from './reply.js';
export { ServerDialogue, type Answer, type ReceivedMail, type ServerOptions, type ServerStep } from './server.js';
