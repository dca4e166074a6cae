export { addressText, isFault, parseAddress, parseMailbox, type Address, type AddressFault, type Mailbox } from './addresses.js';
export { readAuthor } from './author.js';
export { bytesOf, wholeOf, type Bytes } from './body.js';
export { mediaType } from './media-type.js';
export { dateField, headerFault } from './fields.js';
export {
  fieldOf,
  fieldText,
  parseParameters,
  partBytes,
  partsOf,
  partText,
  readMail,
  shownText,
  undecodedText,
  type HeaderField,
  type Part,
} from './read.js';
export { repairMail, type RepairedMail } from './repair.js';
export { decodeWords, encodeWords } from './words.js';
export {
  foreignMail,
  inOnePiece,
  mailBytes,
  prefixed,
  unsubscribeFields,
  writeMail,
  type Calendar,
  type CarriedPicture,
  type MailContent,
  type MailFile,
  type WrittenMail,
} from './write.js';
