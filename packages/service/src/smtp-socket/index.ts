export { SmtpConnection, USUAL_WAITS, type ConnectionFacts, type ConnectionOptions, type Trust, type Waits } from './connection.js';
export { listenSmtp, type SmtpListener, type SmtpPolicy, type SmtpUser } from './listen.js';
