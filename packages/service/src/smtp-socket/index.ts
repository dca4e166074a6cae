export { SmtpConnection, type ConnectionOptions } from './connection.js';
export { listenSmtp, type SmtpListener, type SmtpPolicy } from './listen.js';
