export { listenSmtp, type SmtpListener } from './listen.js';
export { SmtpConnection, USUAL_WAITS, type ConnectionFacts, type ConnectionOptions } from './connection.js';
