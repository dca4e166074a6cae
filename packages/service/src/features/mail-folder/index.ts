export { readMailFolder } from './read.js';
export { watchMailFolder } from './watch.js';
