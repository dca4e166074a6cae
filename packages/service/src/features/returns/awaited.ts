import type { TestMail } from '@verbalis/core/domains';
import type { Answer } from '@verbalis/core/smtp';

/** Who waits for test emails that come back to us: a higher feature. */
export interface TestMails {
  /** Whether a test email to this address is waited for. */
  readonly isAwaited: (address: string) => boolean;
  readonly receive: (address: string, mail: TestMail) => Promise<void>;
}

/** An email of a person, as the listener got it. */
export interface ReceivedInbound {
  readonly bytes: Uint8Array;
  /** What it says, whichever way it came; made of the bytes where it is left out. */
  readonly fingerprint?: string | undefined;
  readonly envelopeFrom: string;
  /** Those of its recipients that are addresses for such email. */
  readonly to: readonly string[];
  readonly hello: string;
  /** The IP address that brought it. */
  readonly address: string;
}

/** Who takes what people write: a higher feature. */
export interface InboundMail {
  /** What is said to those who bring email to an address; undefined where it is not for people to write to. */
  readonly answerTo: (to: string, from: string) => Answer | undefined;
  readonly isFor: (to: string) => boolean;
  /** Why an email is not taken, after it was read as far as it tells where it came through. */
  readonly refuses: (mail: { readonly hops: number }) => Answer | undefined;
  /** When it resolves, the email is on the disk. */
  readonly receive: (mail: ReceivedInbound) => Promise<void>;
}
