export { composeMail, bareParts, type EmailLinks, type StoredFiles } from './compose.js';
