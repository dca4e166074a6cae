export { addressText, isFault, parseAddress, parseMailbox, type Address, type AddressFault, type Mailbox } from './addresses.js';
export { bytesOf, wholeOf, type Bytes } from './body.js';
export { headerFault } from './fields.js';
export {
  fieldOf,
  fieldText,
  parseParameters,
  partBytes,
  partsOf,
  partText,
  readMail,
  shownText,
  type HeaderField,
  type Part,
} from './read.js';
export { decodeWords, encodeWords } from './words.js';
export {
  foreignMail,
  inOnePiece,
  mailBytes,
  prefixed,
  writeMail,
  type Calendar,
  type CarriedPicture,
  type MailContent,
  type MailFile,
  type WrittenMail,
} from './write.js';
