export { codesOf } from './codes.js';
export { harshView, linksOf, linksOfText, type ShownLink } from './html.js';
export { inspectMail, type ShownAttachment, type ShownMail } from './mail.js';
