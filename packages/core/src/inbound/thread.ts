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
