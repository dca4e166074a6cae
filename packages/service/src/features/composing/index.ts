export { composeMail, bareParts, type StoredFiles } from './compose.js';
