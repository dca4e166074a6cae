export { openFollowing, openStore, type Store } from './records.js';
