import { plainWords, scanner, USUAL_BOOK, type PhraseBook, type Scanner } from '../phrases/index.js';
import type { Cause } from '../smtp/index.js';
import { CAUSE_TABLE, type CauseRow } from './cause-table.js';

const BY_CAUSE = new Map(CAUSE_TABLE.map((row) => [row.cause, row]));

export function causeRow(cause: Cause): CauseRow {
  const row = BY_CAUSE.get(cause);
  if (row === undefined) throw new Error(`No row for the cause ${cause}.`);
  return row;
}

export interface CauseEvidence {
  /** RFC 3463. */
  readonly status: string | undefined;
  /** RFC 5321. */
  readonly replyCode: number | undefined;
  readonly diagnostic: string | undefined;
}

/** Why, and what told us. */
export interface CauseReading {
  readonly cause: Cause;
  /** `sure`: an exact code, or words that leave no doubt. `likely`: words where no code speaks. `guess`: a reply code or nothing. */
  readonly confidence: 'sure' | 'likely' | 'guess';
  /** The words or the code that decided. */
  readonly evidence: string;
}

/** What finds causes in a text, by a phrase book: English phrases are listed with the causes, other languages in the book. */
interface CauseScanners {
  readonly words: Scanner<Cause>;
  readonly hints: Scanner<Cause>;
}

const SCANNERS = new WeakMap<PhraseBook, CauseScanners>();
const HINTS = scanner(CAUSE_TABLE.map(({ cause, hints }) => [cause, hints] as const));

function scannersOf(book: PhraseBook): CauseScanners {
  let found = SCANNERS.get(book);
  if (found === undefined) {
    const others = new Map(book.causes);
    found = {
      words: scanner(CAUSE_TABLE.map(({ cause, words }) => [cause, [...(others.get(cause) ?? []), ...words]] as const)),
      hints: HINTS,
    };
    SCANNERS.set(book, found);
  }
  return found;
}

/** Of the causes that a text names, the first in their order. */
function byWords(text: string, scan: Scanner<Cause>): { cause: Cause; evidence: string } | undefined {
  const found = scan(text);
  if (found.size === 0) return undefined;
  const cause = CAUSE_TABLE.find((row) => found.has(row.cause))?.cause;
  return cause === undefined ? undefined : { cause, evidence: (found.get(cause) ?? '').replaceAll('*', ' … ').trim() };
}

// Codes that say something of their own; others are what servers write when they do not want to say more (and 5.x.x of the protocol).
function isGeneric(detail: string): boolean {
  return /\.0$/.test(detail) || /^5\./.test(detail) || detail === '7.1' || detail === '4.4' || detail === '4.1' || detail === '4.3';
}

const BY_SUBJECT: Readonly<Record<string, Cause>> = {
  '1': 'mailbox-unknown',
  '3': 'system',
  '4': 'unreachable',
  '5': 'system',
  '6': 'content',
  '7': 'policy',
};

function byReplyCode(code: number | undefined): Cause {
  switch (code) {
    case 421:
    case 450:
    case 451:
      return 'rate-or-greylist';
    case 452:
    case 552:
      return 'mailbox-full';
    case 530:
    case 535:
      return 'authentication';
    case 551:
      return 'unroutable';
    case 553:
      return 'address-syntax';
    case undefined:
    default:
      return 'other';
  }
}

/**
 * Why an email was not taken, and what told us. Words that leave no doubt decide, since codes are often generic and sometimes wrong; then an
 * exact enhanced code, then weaker words, a generic code, and last the reply code.
 * @param book phrases of all languages, and those from the configuration
 */
export function readCause({ status, replyCode, diagnostic }: CauseEvidence, book: PhraseBook = USUAL_BOOK): CauseReading {
  const detail = status?.slice(2);
  const exact = detail !== undefined && !isGeneric(detail) ? CAUSE_TABLE.find((row) => row.codes.includes(detail)) : undefined;
  const scanners = scannersOf(book);
  const text = plainWords(diagnostic ?? '');
  const words = text.length > 2 ? byWords(text, scanners.words) : undefined;
  // RFC 3463, 3.7: what is wrong is in the mail, also where the words are about an address in it.
  if (words?.cause === 'address-syntax' && status?.charAt(2) === '6') return { cause: 'content', confidence: 'sure', evidence: status };
  if (words !== undefined) return { cause: words.cause, confidence: 'sure', evidence: `“${words.evidence}”` };
  if (exact !== undefined) return { cause: exact.cause, confidence: 'sure', evidence: status ?? '' };
  // "Try again later" says less than an exact code, and so does a bare refusal.
  const hints = text.length > 2 ? byWords(text, scanners.hints) : undefined;
  if (hints !== undefined) return { cause: hints.cause, confidence: 'likely', evidence: `“${hints.evidence}”` };
  if (status?.startsWith('4.7') === true) return { cause: 'rate-or-greylist', confidence: 'likely', evidence: status };
  const row = CAUSE_TABLE.find((cause) => detail !== undefined && cause.codes.includes(detail));
  if (row !== undefined && row.cause !== 'other') return { cause: row.cause, confidence: 'likely', evidence: status ?? '' };
  const bySubject = detail === undefined || /\.0$/.test(detail) ? undefined : BY_SUBJECT[detail.charAt(0)];
  if (bySubject !== undefined) return { cause: bySubject, confidence: 'guess', evidence: status ?? '' };
  return { cause: byReplyCode(replyCode), confidence: 'guess', evidence: replyCode === undefined ? '' : String(replyCode) };
}

/** Why an email was not taken. */
export function causeOf(evidence: CauseEvidence): Cause {
  return readCause(evidence).cause;
}
