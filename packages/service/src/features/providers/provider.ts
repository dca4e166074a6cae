import type { Mailbox, MailFile, WrittenMail } from '@verbalis/core/mime';
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
  readonly template: string;
  readonly topic: string | undefined;
  readonly reference: string | undefined;
  readonly labels: Readonly<Record<string, string>>;
}

/** One mail to one recipient. */
export interface Job {
  readonly envelope: Envelope;
  /** As bytes, signed. */
  readonly mail: WrittenMail;
  readonly parts: MailParts;
}

/** One thing that was tried when a provider is looked into. */
export interface Finding {
  readonly step: string;
  readonly ok: boolean;
  readonly milliseconds: number;
  readonly detail: string;
  /** What to do about it. */
  readonly hint?: string | undefined;
}

/** Something that takes mail from us. */
export interface Provider {
  readonly name: string;
  readonly kind: 'smtp' | 'http' | 'capture' | 'file' | 'log';
  /** Where it is, in words: "127.0.0.1:2525". Holds no secret. */
  readonly where: string;
  /** Never rejects: whatever happens is an outcome. */
  readonly hand: (job: Job) => Promise<Outcome>;
  /** Looks into it step by step, as far as it gets without sending an email. */
  readonly examine: () => Promise<Finding[]>;
  /** Ends idle connections; emails under way are finished by their callers. */
  readonly close: () => void;
}
