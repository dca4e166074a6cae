export { listenApart } from './apart.js';
export { listenSmtp, type ListenOptions, type SmtpListener } from './listen.js';
export { SmtpConnection, USUAL_WAITS, type ConnectionFacts, type ConnectionOptions } from './connection.js';
export { ListenerSettings, listenerOptions } from './settings.js';
export type { ReceivedMail } from './session.js';
export type { Reading, ThreadMail } from './thread.js';
