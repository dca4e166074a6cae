export { FolderError, readMailFolder } from './read.js';
