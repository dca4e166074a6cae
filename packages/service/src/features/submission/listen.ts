import type { Logger } from 'pino';
import type { Acceptor } from '../messages/index.js';
import { Refusal } from '../../kernel/index.js';
import { listenSmtp, type SmtpListener } from '../smtp/index.js';
import { looksLikeKey } from '../keys/index.js';
import type { Store } from './store.js';

export interface SubmissionOptions {
  readonly store: Store;
  readonly accept: Acceptor;
  readonly log: Logger;
  readonly name: string;
  readonly maxBytes: number;
  readonly maxRecipients: number;
  readonly spaces: ReadonlySet<string>;
  /** A capturing space that takes mail without a key. */
  readonly openTo: string | undefined;
}

/**
 * Takes whole emails from apps that know SMTP only: the password is a key with the scope "send", the user may be anything. Where a capturing
 * space stands open, any other user and password, or none, lead there; what looks like a key and is none does not, since its mail was meant
 * to be delivered.
 */
export function listenSubmission(host: string, port: number, options: SubmissionOptions): Promise<SmtpListener> {
  const { store, accept, log, spaces, openTo } = options;
  return listenSmtp(
    host,
    port,
    {
      name: options.name,
      maxBytes: options.maxBytes,
      maxRecipients: options.maxRecipients,
      login: openTo === undefined ? 'needed' : 'offered',
    },
    {
      login: (_user, password) => {
        const key = store.access.findKey(password);
        const may = key?.scopes.some((scope) => scope === 'send' || scope === 'admin') === true;
        if (key !== undefined) return may && spaces.has(key.space) ? key.space : undefined;
        return looksLikeKey(password) ? undefined : openTo;
      },
      recipient: () => ({ code: 250, enhanced: '2.1.5', text: 'OK' }),
      mail: async ({ to, bytes }, user) => {
        const space = user ?? openTo;
        if (space === undefined) return { code: 530, enhanced: '5.7.0', text: 'Log in first' };
        try {
          const { id } = await accept.raw(space, to, bytes);
          return { code: 250, enhanced: '2.0.0', text: `Accepted as ${id}` };
        } catch (error) {
          if (error instanceof Refusal) return { code: 550, enhanced: '5.7.1', text: error.message };
          log.error({ err: error }, 'a submitted mail could not be written');
          return { code: 451, enhanced: '4.3.0', text: 'It could not be written, try again later' };
        }
      },
    },
  );
}
