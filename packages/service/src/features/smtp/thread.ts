import type { Answer } from '@verbalis/core/smtp';
import { inThread } from '../../kernel/thread.js';
import { listenSmtp, type ListenOptions, type SmtpListener } from './listen.js';
import type { ReceivedMail, RecipientAnswer, SmtpLogin, SmtpUser } from './session.js';

/** What an email says, read where it can hold up nobody but others that bring mail; or why it cannot be read. */
export type Reading<Read> = { readonly value: Read } | { readonly error: string };

/** What the thread is given. */
export interface ThreadData {
  readonly options: ListenOptions;
  readonly wantsLogin: boolean;
  /** What reading an email needs to know. */
  readonly given?: unknown;
}

/** Why a port could not be had. */
export interface ListenFault {
  readonly fault: { readonly message: string; readonly code: string | undefined };
}

/** An email on its way out of the thread. */
export interface ThreadMail<Read> {
  readonly mail: ReceivedMail;
  readonly user: SmtpUser;
  readonly reading: Reading<Read>;
}

/** The whole of a thread that listens for SMTP. @param read what an email says; runs in the thread, and may take its time */
export function smtpThread<Read, Given = undefined>(read: (mail: ReceivedMail, given: Given) => Read): void {
  inThread((remote, { options, wantsLogin, given }: ThreadData) => {
    let listener: SmtpListener | undefined;
    const reading = (mail: ReceivedMail): Reading<Read> => {
      try {
        return { value: read(mail, given as Given) };
      } catch (error) {
        return { error: error instanceof Error ? error.message : String(error) };
      }
    };
    return {
      listen: async (): Promise<readonly number[] | ListenFault> => {
        try {
          listener = await listenSmtp(
            options,
            {
              recipient: (envelope, user) => remote.call<RecipientAnswer>('recipient', { envelope, user }),
              mail: (mail, user) => remote.call<Answer>('mail', { mail, user, reading: reading(mail) }),
              ...(wantsLogin ? { login: (login: SmtpLogin) => remote.call<string | undefined>('login', login) } : {}),
            },
            (problem) => void remote.call('warn', { problem }).catch(() => undefined),
          );
          return listener.ports;
        } catch (error) {
          const { message, code } = error as NodeJS.ErrnoException;
          return { fault: { message, code } };
        }
      },
      close: async () => {
        await listener?.close();
      },
    };
  });
}
