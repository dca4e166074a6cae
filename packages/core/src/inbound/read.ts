import { createHash } from 'node:crypto';
import { inspectMail, linksOf, linksOfText, wordsOfHtml, type ShownMail } from '../inspect/index.js';
import { fieldOf, fieldText, partBytes, partsOf, readMail, shownText, type Part } from '../mime/index.js';
import { bareId } from '../returns/index.js';
import { whyNoAnswer } from './automatic.js';
import { languageOf } from './language.js';
import { peopleOf, tidy, type Person } from './people.js';
import { splitHtml } from './split-html.js';
import { splitText } from './split-text.js';
import { suspicionsOf, type Suspicion } from './suspicious.js';
import type { InboundFile } from './file.js';
import { isWishToLeave } from './words.js';

/** An inbound email, as it is shown. */
export interface InboundReading {
  readonly from: Person | undefined;
  /** Where answers go, if not to its author. */
  readonly replyTo: Person | undefined;
  readonly to: readonly Person[];
  readonly cc: readonly Person[];
  readonly subject: string;
  /** Message-ID without its brackets. */
  readonly headerId: string | undefined;
  /** Message-IDs that it answers, the nearest first. */
  readonly answers: readonly string[];
  /** Its References field, for answers to it. */
  readonly references: readonly string[];
  /** As its Date field says, in milliseconds since the epoch. */
  readonly sentAt: number | undefined;
  /** What is new; what is answered; the signature. */
  readonly text: string;
  readonly quoted: string;
  readonly signature: string;
  /** What is new, without anything that runs or loads; undefined for an email without HTML that a person would have written. */
  readonly html: string | undefined;
  readonly files: readonly InboundFile[];
  /** BCP 47; undefined where it is not clear. */
  readonly language: string | undefined;
  /** Pictures of other servers, which nothing loads. */
  readonly remotePictures: number;
  /** Why no automatic answer may be given. */
  readonly noAnswer: string | undefined;
  /** Whether its only content is that its author wants no more email. */
  readonly asksToLeave: boolean;
  readonly suspicious: readonly Suspicion[];
}

/** Characters that are kept of each text, of the HTML, and bytes of a file that are looked at to know what it is. */
const [MOST_KEPT, MOST_KEPT_HTML, START] = [64 * 1024, 256 * 1024, 16];
const MOST_FILES = 100;
const MOST_IDS = 50;

const cut = (text: string, most: number): string => (text.length > most ? `${text.slice(0, most)}…` : text);

/** Message-IDs of a field (RFC 5322 3.6.4), in their order. */
function idsOf(mail: Part, name: string): string[] {
  const raw = mail.fields.find((field) => field.name === name)?.raw ?? '';
  const ids = [...fieldText(raw.slice(0, 32 * 1024)).matchAll(/<\s*([^<>\s]{3,900})\s*>/g)].map((match) => match[1] ?? '');
  return [...new Set(ids)].slice(-MOST_IDS);
}

/** Reads an email that a person has written. Never throws; time and memory grow with its size. @param envelopeFrom empty for the null path */
export function readInbound(bytes: Uint8Array, envelopeFrom: string): InboundReading {
  return readShown(readMail(bytes), inspectMail(bytes), envelopeFrom);
}

/** The same without its HTML and its files, for an email that takes too long, or too much memory. */
export function readBarely(bytes: Uint8Array, envelopeFrom: string): InboundReading {
  const mail = readMail(bytes);
  const text = shownText(mail, 'plain') ?? '';
  return readShown(mail, { subject: fieldOf(mail, 'subject') ?? '', text, html: '', attachments: [] }, envelopeFrom);
}

function readShown(mail: Part, shown: Pick<ShownMail, 'subject' | 'text' | 'html' | 'attachments'>, envelopeFrom: string): InboundReading {
  const authors = peopleOf(mail, 'from');
  const split = shown.html.trim() === '' ? undefined : splitHtml(shown.html);
  const own = shown.text.trim() !== '' ? splitText(shown.text) : (split ?? splitText(wordsOfHtml(shown.html.slice(0, LINKS_IN))));
  const parts = [...partsOf(mail)];
  const contents = new Map<number, Uint8Array>();
  const files = shown.attachments.slice(0, MOST_FILES).map((file): InboundFile => {
    const content = partBytes(parts[file.part] ?? mail);
    contents.set(file.part, content.subarray(0, START));
    return { ...file, name: tidy(file.name), hash: createHash('sha256').update(content).digest('hex') };
  });
  const [replyTo] = peopleOf(mail, 'reply-to');
  const [from] = authors;
  const references = idsOf(mail, 'references');
  const sentAt = Date.parse(fieldOf(mail, 'date') ?? '');
  const subject = tidy(shown.subject);
  const text = own.text;
  const people = { from, replyTo: replyTo?.address === from?.address ? undefined : replyTo, files };
  return {
    ...people,
    to: peopleOf(mail, 'to'),
    cc: peopleOf(mail, 'cc'),
    subject,
    headerId: bareId(fieldOf(mail, 'message-id')),
    answers: [...new Set([...idsOf(mail, 'in-reply-to'), ...[...references].reverse()])].slice(0, MOST_IDS),
    references,
    sentAt: Number.isNaN(sentAt) ? undefined : sentAt,
    text: cut(text, MOST_KEPT),
    quoted: cut(own.quoted, MOST_KEPT),
    signature: cut(own.signature, 4096),
    html: split === undefined || split.html.length > MOST_KEPT_HTML ? undefined : split.html,
    language: languageOf(text) ?? contentLanguage(mail),
    remotePictures: split?.remotePictures ?? 0,
    noAnswer: whyNoAnswer(mail, envelopeFrom),
    asksToLeave: isWishToLeave(text) || (text.trim() === '' && isWishToLeave(subject)),
    suspicious: suspicionsOf(people, {
      links: split === undefined ? linksOfText(shown.text) : linksOf(shown.html.slice(0, LINKS_IN)),
      authors: authors.length,
      hadActive: split?.hadActive ?? false,
      startOf: ({ part }) => contents.get(part) ?? new Uint8Array(),
    }),
  };
}

/** Characters of HTML that are looked through for links. */
const LINKS_IN = 512 * 1024;

function contentLanguage(mail: Part): string | undefined {
  const value = /^\s*([a-z]{2,3})\b/i.exec(fieldOf(mail, 'content-language') ?? '')?.[1];
  return value?.toLowerCase();
}
