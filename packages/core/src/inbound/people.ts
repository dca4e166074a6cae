import { isFault, parseMailbox, undecodedText, type Part } from '../mime/index.js';

/** Someone that an email names. */
export interface Person {
  readonly name: string;
  readonly address: string;
}

/** People of one field that are read, and characters of it. */
const [MOST_PEOPLE, LONGEST] = [100, 32 * 1024];

/** The pieces of an address list (RFC 5322 3.4): parted by commas, without names of groups. */
function piecesOf(list: string): string[] {
  const out: string[] = [];
  let piece = '';
  let isQuoted = false;
  let depth = 0;
  let isAngled = false;
  const end = (): void => {
    if (piece.trim() !== '' && out.length < MOST_PEOPLE) out.push(piece.trim());
    piece = '';
  };
  for (let i = 0; i < list.length; i += 1) {
    const sign = list.charAt(i);
    if (sign === '\\') {
      piece += list.slice(i, i + 2);
      i += 1;
      continue;
    }
    if (sign === '"' && depth === 0) isQuoted = !isQuoted;
    if (!isQuoted) {
      if (sign === '(') depth += 1;
      else if (sign === ')') depth = Math.max(0, depth - 1);
      else if (depth === 0 && sign === '<') isAngled = true;
      else if (depth === 0 && sign === '>') isAngled = false;
      if (depth === 0 && !isAngled && (sign === ',' || sign === ';')) {
        end();
        continue;
      }
      // "Crew: anna@…, ben@…;"
      if (depth === 0 && !isAngled && sign === ':') {
        piece = '';
        continue;
      }
    }
    piece += sign;
  }
  end();
  return out;
}

/** The people that the fields of a name list; what is not a valid address is left out. */
export function peopleOf(mail: Pick<Part, 'fields'>, name: string): Person[] {
  return mail.fields
    .filter((field) => field.name === name)
    .flatMap(({ raw }) => piecesOf(undecodedText(raw.slice(0, LONGEST))))
    .flatMap((piece): Person[] => {
      // Comments (RFC 5322 3.2.2) are no part of an address.
      const plain = piece.replace(/\([^()]{0,500}\)/g, ' ');
      const mailbox = parseMailbox(plain.replace(/[\r\n\t]/g, ' '));
      return isFault(mailbox) ? [] : [{ name: tidy(mailbox.name), address: `${mailbox.local}@${mailbox.domain}` }];
    })
    .slice(0, MOST_PEOPLE);
}

/** A name on one line, without signs that turn or hide text. */
export function tidy(text: string): string {
  return text
    .replace(/[\u0000-\u001F\u007F-\u009F\u200B-\u200F\u2028-\u202E\u2066-\u2069\uFEFF]/g, ' ')
    .split(/\s/)
    .filter((word) => word !== '')
    .join(' ')
    .slice(0, 300);
}
