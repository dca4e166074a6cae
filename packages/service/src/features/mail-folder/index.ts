export { readMailFolder } from './read.js';
