import type { InboundReading } from './read.js';

/** What stands before the subject of an answer, in the languages of common readers. */
const PREFIX = /^(?:re|aw|sv|antw|vs|ref|odp|ynt|rif|rv|回复|回覆|답장|رد)\s?(?:\[\d{1,3}\])?\s?[:：]\s{0,20}/i;

/** The subject of an answer: "Re: " once (RFC 5322 3.6.5). */
export function replySubject(subject: string): string {
  let rest = subject.trim();
  for (let i = 0; i < 20 && PREFIX.test(rest); i += 1) rest = rest.replace(PREFIX, '');
  return `Re: ${rest}`.trim().slice(0, 900);
}

/** The fields by which readers put an answer into its thread (RFC 5322 3.6.4): Message-IDs without brackets, the oldest first. */
export function threadOf({ headerId, references, answers }: Pick<InboundReading, 'headerId' | 'references' | 'answers'>): {
  readonly inReplyTo: string | undefined;
  readonly references: readonly string[];
} {
  // Without References, what it answers itself begins the thread.
  const before = references.length > 0 ? references : answers.slice(0, 1);
  const all = [...before.filter((id) => id !== headerId), ...(headerId === undefined ? [] : [headerId])];
  // The first names the thread, the last are the nearest; what is between may go.
  const kept = all.length <= 20 ? all : [...all.slice(0, 1), ...all.slice(-19)];
  return { inReplyTo: headerId, references: kept };
}

/** How an answer introduces what it quotes, by language. */
const INTRODUCTIONS: Readonly<Record<string, (when: string, who: string) => string>> = {
  en: (when, who) => `On ${when}, ${who} wrote:`,
  de: (when, who) => `Am ${when} schrieb ${who}:`,
  fr: (when, who) => `Le ${when}, ${who} a écrit :`,
  es: (when, who) => `El ${when}, ${who} escribió:`,
  pt: (when, who) => `Em ${when}, ${who} escreveu:`,
  it: (when, who) => `Il giorno ${when} ${who} ha scritto:`,
  nl: (when, who) => `Op ${when} schreef ${who}:`,
  pl: (when, who) => `W dniu ${when} ${who} napisał(a):`,
  ja: (when, who) => `${when}、${who}のメール:`,
};

/** The text of an email, quoted below an answer (RFC 3676 4.5). @param at when it came, in milliseconds since the epoch */
export function quoteOf({ from, text, language }: Pick<InboundReading, 'from' | 'text' | 'language'>, at: number): string {
  const known = language !== undefined && INTRODUCTIONS[language] !== undefined ? language : 'en';
  const when = new Intl.DateTimeFormat(known, { dateStyle: 'medium', timeStyle: 'short', timeZone: 'UTC' }).format(at);
  const who = from === undefined ? '?' : from.name === '' ? from.address : `${from.name} <${from.address}>`;
  const quoted = text.split('\n').map((line) => (line.startsWith('>') ? `>${line}` : `> ${line}`.trimEnd()));
  return [INTRODUCTIONS[known]?.(`${when} UTC`, who) ?? '', ...quoted].join('\n');
}
