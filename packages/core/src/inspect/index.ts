export { codesOf } from './codes.js';
export { harshView, linksOf, linksOfText, wordsOfHtml, type ShownLink } from './html.js';
export { inspectMail, type ShownAttachment, type ShownMail } from './mail.js';
