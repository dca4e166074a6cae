export { acceptor, type Accepted, type Acceptor, type BatchResult } from './accept.js';
export type { SpaceRules, WantedMessage } from './wanted.js';
