import type { Answer } from '@verbalis/core/smtp';
import { inThread } from '../../kernel/thread.js';
import { listenSmtp, type ListenOptions, type SmtpListener } from './listen.js';
import type { ReceivedMail, RecipientAnswer, SmtpLogin, SmtpUser } from './session.js';

/** What an email says, read in a thread that holds up nothing but other incoming email; or why it cannot be read. */
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

/** What an email says; runs in the thread, and may take its time. */
export type ReadMail<Read, Given> = (mail: ReceivedMail, given: Given) => Read;

/**
 * The whole of a thread that listens for SMTP. @param load gives the reader, with the first email: the port is open before all that reading needs
 * is loaded. If it cannot be loaded, the email is answered with 451, and comes again
 */
export function smtpThread<Read, Given = undefined>(load: () => Promise<ReadMail<Read, Given>>): void {
  inThread((remote, { options, wantsLogin, given }: ThreadData) => {
    let listener: SmtpListener | undefined;
    const reading = async (mail: ReceivedMail): Promise<Reading<Read>> => {
      const read = await load().catch((error: unknown) => {
        void remote.call('warn', { problem: `what reads emails could not be loaded: ${String(error)}` }).catch(() => undefined);
        throw error;
      });
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
              mail: async (mail, user) => remote.call<Answer>('mail', { mail, user, reading: await reading(mail) }),
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
