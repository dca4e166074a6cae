import type { TestMail } from '@verbalis/core/domains';

/** Who waits for test emails that come back to us: a higher feature. */
export interface TestMails {
  /** Whether a test email to this address is waited for. */
  readonly isAwaited: (address: string) => boolean;
  readonly receive: (address: string, mail: TestMail) => Promise<void>;
}
