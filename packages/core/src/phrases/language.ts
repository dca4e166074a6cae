import type { Cause } from '../smtp/index.js';

/**
 * How mail systems and their users say things in one language: data, so that a language is one table. Each list holds phrases as `matcher.ts`
 * explains them; what a language does not say differently from English is left out.
 */
export interface LanguagePhrases {
  /** BCP 47. */
  readonly language: string;
  /** Why an email was not taken. English has its words beside the causes themselves. */
  readonly causes?: Partial<Readonly<Record<Cause, readonly string[]>>>;
  /** It was not delivered. */
  readonly failed: readonly string[];
  /** It has not been delivered yet. */
  readonly delayed?: readonly string[];
  /** Delivery goes on. */
  readonly keeps?: readonly string[];
  /** No more attempts are made. */
  readonly givenUp?: readonly string[];
  readonly delivered?: readonly string[];
  /** It went on to a system that reports nothing. */
  readonly relayed?: readonly string[];
  /** The time for trying was up. */
  readonly ranOut?: readonly string[];
  /** Above the email that comes back. */
  readonly original?: readonly string[];
  /** Before an address that the recipient has moved to: that one has not failed. */
  readonly suggests?: readonly string[];
  /** The subject of a report. */
  readonly bounceSubject: readonly string[];
  /** The subject of an automatic answer, which no person would write. */
  readonly autoSubject: readonly string[];
  /** The beginning of a subject that says only with its text that an answer is automatic: a person may write of a holiday, too. */
  readonly awaySubject?: readonly string[];
  /** Someone is away, or answers later. */
  readonly away: readonly string[];
  /** A program has noted that something came: a ticket, a list, a welcome. */
  readonly noted: readonly string[];
  /** The sender is asked to prove that they are a person. */
  readonly challenge?: readonly string[];
}

/** What phrases of a table mean; a cause stands for itself. */
export type Meaning = Exclude<keyof LanguagePhrases, 'language' | 'causes'> | Cause;
