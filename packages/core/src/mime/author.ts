import { decodeWords } from './words.js';
import { isFault, parseMailbox, type AddressFault, type Mailbox } from './addresses.js';

const SEVERAL: AddressFault = { fault: 'names several mailboxes', hint: 'A mail that is signed has one author.' };

/** A value without its comments (RFC 5322 3.2.2), the last of these, and whether it is one mailbox as far as its signs show. */
function withoutComments(value: string): { readonly text: string; readonly comment: string; readonly isOne: boolean } {
  let text = '';
  let comment = '';
  let depth = 0;
  let isQuoted = false;
  let brackets = 0;
  let isOne = true;
  for (let at = 0; at < value.length; at += 1) {
    const sign = value.charAt(at);
    const pair = sign === '\\' ? value.slice(at, at + 2) : sign;
    at += pair.length - 1;
    if (depth > 0) {
      if (sign === '(') depth += 1;
      else if (sign === ')') depth -= 1;
      if (depth > 0) comment += pair.at(-1) ?? '';
      continue;
    }
    if (sign === '"') isQuoted = !isQuoted;
    else if (!isQuoted) {
      if (sign === '(') {
        depth = 1;
        comment = '';
        text += ' ';
        continue;
      }
      if (sign === '<') brackets += 1;
      // A list, or a group (RFC 5322 3.4).
      if (sign === ',' || sign === ':' || sign === ';' || brackets > 1) isOne = false;
    }
    text += pair;
  }
  return { text: text.trim(), comment: comment.trim(), isOne: isOne && depth === 0 && !isQuoted };
}

/** Reads the value of a From or Sender field of which the one mailbox is to be trusted; what could be read in two ways is a fault. */
export function readAuthor(value: string): Mailbox | AddressFault {
  const { text, comment, isOne } = withoutComments(value);
  if (!isOne) return SEVERAL;
  const mailbox = parseMailbox(text);
  // As old programs write a name: root@host.example (Cron Daemon).
  return isFault(mailbox) || mailbox.name !== '' ? mailbox : { ...mailbox, name: decodeWords(comment) };
}
