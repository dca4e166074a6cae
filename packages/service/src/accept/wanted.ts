import type { WantedAttachment } from './attachments.js';

export type WantedMailbox = string | { readonly name?: string | undefined; readonly address: string };

/** A message as an app asks for it; shapes are checked, meanings are not yet. */
export interface WantedMessage {
  /** A template; or the mail itself, made by the app. */
  readonly template?: string | undefined;
  readonly subject?: string | undefined;
  readonly html?: string | undefined;
  readonly text?: string | undefined;
  /** Of a mail without a template; a template names its own. */
  readonly topic?: string | undefined;
  readonly to: readonly WantedMailbox[];
  readonly cc?: readonly WantedMailbox[] | undefined;
  /** Get the mail without standing in it. */
  readonly bcc?: readonly WantedMailbox[] | undefined;
  readonly from?: WantedMailbox | undefined;
  readonly replyTo?: readonly WantedMailbox[] | undefined;
  readonly headers?: Readonly<Record<string, string>> | undefined;
  /** An id of a message, or a Message-ID in angle brackets. */
  readonly inReplyTo?: string | undefined;
  readonly references?: readonly string[] | undefined;
  readonly attachments?: readonly WantedAttachment[] | undefined;
  readonly calendar?: { readonly method: string; readonly text: string } | undefined;
  readonly data?: Readonly<Record<string, unknown>> | undefined;
  readonly locale?: string | undefined;
  readonly reference?: string | undefined;
  readonly labels?: Readonly<Record<string, string>> | undefined;
  /** Not before: an instant, or a clock time in `timeZone`. */
  readonly notBefore?: string | undefined;
  readonly expiresAt?: string | undefined;
  readonly timeZone?: string | undefined;
}

/** What the configuration says of a space's mails. */
export interface SpaceRules {
  readonly mode?: 'deliver' | 'capture' | undefined;
  readonly sender?: string | undefined;
  readonly replyTo?: string | undefined;
  readonly senderDomains: readonly string[];
  readonly archive?: string | undefined;
  readonly operator?: string | undefined;
  readonly mark?: { readonly text: string; readonly place: 'before' | 'after' } | undefined;
  readonly recipients?: { readonly allowed: readonly string[]; readonly redirectTo?: string | undefined } | undefined;
}
