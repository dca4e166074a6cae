export { acceptor, type Accept, type Accepted, type WantedMessage } from './accept.js';
