import type { SlotRequest } from '@verbalis/core/delivery';
import type { WayOut } from '../consent/index.js';
import type { Calendar, Mailbox, MailFile, WrittenMail } from '@verbalis/core/mime';
import type { ReadProfile } from '@verbalis/core/profile';
import type { Envelope, Outcome } from '@verbalis/core/smtp';

/** What an email is made of, for providers that build emails themselves. */
export interface MailParts {
  readonly messageId: string;
  readonly deliveryId: string;
  readonly from: Mailbox;
  readonly to: readonly Mailbox[];
  readonly cc: readonly Mailbox[];
  readonly replyTo: readonly Mailbox[];
  readonly subject: string;
  readonly text: string;
  readonly html: string | undefined;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly attachments: readonly MailFile[];
  readonly pictures: readonly (MailFile & { readonly id: string })[];
  /** Message-IDs without angle brackets: what this answers, and the whole thread. */
  readonly inReplyTo: string | undefined;
  readonly references: readonly string[];
  readonly calendar: Calendar | undefined;
  /** How its recipient leaves its topic (RFC 8058, RFC 2369); undefined where there is no way. */
  readonly unsubscribe: WayOut | undefined;
  readonly template: string;
  readonly topic: string | undefined;
  readonly reference: string | undefined;
  readonly labels: Readonly<Record<string, string>>;
  /** The trace that the message belongs to (W3C Trace Context). */
  readonly traceparent: string | undefined;
  readonly tracestate: string | undefined;
}

/** One mail to one recipient. */
export interface Job {
  readonly envelope: Envelope;
  /** As bytes, signed. */
  readonly mail: WrittenMail;
  readonly parts: MailParts;
  /** Whose it is, for the division of connections. */
  readonly request: SlotRequest;
}

export type HandOverStep = 'opening' | 'connected' | 'gave-up';

/** What a provider asks and reports while it hands an email over. */
export interface Gate {
  /**
   * Asked once, when everything is ready for the content: the attempt is recorded, and only then may the last byte leave.
   * @returns false where the email must not be sent any more: the provider breaks off, and nothing was accepted
   */
  readonly mayLeave: () => Promise<boolean>;
  /**
   * What is reported of a hand-over that takes long: it waits for a connection to open, or it has one and has not come to the content; or it gave
   * up, since no connection came free.
   * @param agoMs since when, in milliseconds
   */
  readonly reached: (step: HandOverStep, agoMs: number) => void;
}

/** For an email that is recorded nowhere: a test. */
export const OPEN_GATE: Gate = { mayLeave: () => Promise.resolve(true), reached: () => undefined };

/** The email was not to be sent any more when its content was ready. */
export const NOT_SENT: Outcome = {
  kind: 'trouble',
  scope: 'message',
  phase: 'content',
  reply: undefined,
  reason: 'It was not to be sent any more.',
};

/** One thing that was tried when a provider is looked into. */
export interface Finding {
  readonly step: string;
  readonly ok: boolean;
  readonly milliseconds: number;
  readonly detail: string;
  /** What to do about it. */
  readonly hint?: string | undefined;
}

/** A request as it is shown: nothing secret is in it. */
export interface ShownRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: readonly { readonly name: string; readonly value: string }[];
  readonly body: string;
  /** Of the body. */
  readonly bytes: number;
}

/** What a profile makes of things, without anything being sent. */
export interface ProfileTrial {
  readonly reading: ReadProfile;
  /** @throws Error that says why the request cannot be made */
  readonly request: (job: Job) => ShownRequest;
}

/** Something that takes mail from us. */
export interface Provider {
  readonly name: string;
  readonly kind: 'smtp' | 'http' | 'capture' | 'file' | 'log';
  /** Where it is, in words: "127.0.0.1:2525". Holds no secret. */
  readonly where: string;
  /** Never rejects: whatever happens is an outcome. */
  readonly hand: (job: Job, gate: Gate) => Promise<Outcome>;
  /** Of one that is described by a profile: what the profile makes of an email, an answer, a call. */
  readonly trial?: ProfileTrial;
  /** Looks into it step by step, as far as it gets without sending an email. */
  readonly examine: () => Promise<Finding[]>;
  /** Ends idle connections; emails under way are finished by their callers. */
  readonly close: () => void;
}
