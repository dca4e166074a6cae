export { acceptor, type Accept, type Accepted, type SpaceRules, type WantedMessage } from './accept.js';
