export { addressText, isFault, needsUtf8, parseAddress, parseMailbox, type Address, type AddressFault, type Mailbox } from './addresses.js';
export { HeaderFault, mailboxField } from './fields.js';
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
export { decodeTransfer } from './transfer.js';
export { decodeCharset, decodeWords, encodeWords } from './words.js';
export { writeMail, type MailContent } from './write.js';
