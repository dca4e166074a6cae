export { openStore, type Store } from './records.js';
