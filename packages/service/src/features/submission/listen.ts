import { addressText, isFault, parseAddress } from '@verbalis/core/mime';
import type { Answer } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import { mayReach, type Acceptor, type SubmittedMail } from '../messages/index.js';
import { Refusal, threadFile, type CallerKey, type Clock } from '../../kernel/index.js';
import { listenApart, type ListenOptions, type SmtpListener, type ThreadMail } from '../smtp/index.js';
import { callerKey, hashOf, looksLikeKey, mayComeFrom, type FoundKey, type NoteUse } from '../keys/index.js';
import type { Store } from './store.js';

export interface SubmissionOptions {
  readonly store: Store;
  readonly accept: Acceptor;
  readonly clock: Clock;
  readonly noteUse: NoteUse;
  readonly log: Logger;
  readonly listen: ListenOptions;
  readonly spaces: ReadonlySet<string>;
  /** A capturing space that takes mail without a key. */
  readonly openTo: string | undefined;
}

/** Refusals that are about what a sender may do, not about the email. */
const POLICY = new Set(['wrong-sender', 'sender-not-confirmed', 'beyond-key', 'key-rate']);

/** In the words of SMTP why an email is refused (RFC 3463): its author, or what is in it. */
function refusalAnswer({ status, type, message, more }: Refusal): Answer {
  const text = more.hint === undefined ? message : `${message} ${more.hint}`;
  if (status === 429) return { code: 451, enhanced: '4.7.1', text };
  return { code: 550, enhanced: POLICY.has(type) ? '5.7.1' : '5.6.0', text };
}

/** For whom a session sends: a space, with a key or, where the space stands open, without one. */
interface Sender {
  readonly space: string;
  readonly key?: CallerKey;
}
/** What the listener knows of a session that needs no key; of others it knows under which hash the key's secret is kept. */
const OPEN = 'open';

/**
 * Takes whole emails from apps that know SMTP only: the password is a key with the scope "send", the user may be anything. Where a capturing
 * space stands open, any other user and password, or none, lead there; what looks like a key and is none does not, since its mail was meant
 * to be delivered.
 */
export function listenSubmission({ store, accept, clock, noteUse, log, listen, spaces, openTo }: SubmissionOptions): Promise<SmtpListener> {
  const isGood = (found: FoundKey): found is Extract<FoundKey, { kind: 'good' }> =>
    found.kind === 'good' && spaces.has(found.key.space) && (found.key.scopes.includes('send') || found.key.scopes.includes('manage'));

  /** Keys are looked up for each email: a session may stay open for longer than its key is valid. */
  const senderOf = (user: string | undefined): Sender | undefined => {
    if (user === undefined || user === OPEN) return openTo === undefined ? undefined : { space: openTo };
    const found = store.access.keyOfHash(user, clock.now());
    return isGood(found) ? { space: found.key.space, key: callerKey(found.key) } : undefined;
  };

  const file = threadFile(import.meta.url, 'submission-thread.js');
  return listenApart<SubmittedMail>(
    { file, name: 'submission', log, listen },
    {
      login: ({ password, address }) => {
        const found = store.access.findKey(password, clock.now());
        if (found.kind !== 'good') return looksLikeKey(password) || openTo === undefined ? undefined : OPEN;
        if (!isGood(found) || !mayComeFrom(found.key, address)) return undefined;
        noteUse(found.key, address);
        return hashOf(password);
      },
      recipient: ({ to }, user) => {
        const address = parseAddress(to);
        // RFC 5321 4.1.1.3 and RFC 3463 3.2: what is not taken here would be answered with 250 and have no delivery.
        if (isFault(address)) return { code: 501, enhanced: '5.1.3', text: `The address ${address.fault}` };
        const bounds = senderOf(user)?.key?.bounds;
        if (bounds === undefined || mayReach(bounds, addressText(address))) return { code: 250, enhanced: '2.1.5', text: 'OK' };
        return { code: 550, enhanced: '5.7.1', text: 'This key may not send to that address' };
      },
      mail: async ({ mail, user, reading }: ThreadMail<SubmittedMail>) => {
        const sender = senderOf(user);
        if (sender === undefined)
          return user === undefined
            ? { code: 530, enhanced: '5.7.0', text: 'Log in first' }
            : { code: 550, enhanced: '5.7.1', text: 'The key of this session is not valid any more' };
        const { space, key } = sender;
        try {
          if ('error' in reading) throw new Error(reading.error);
          const { to, bytes, from, hello, protocol } = mail;
          const { id } = await accept.raw(space, {
            ...reading.value,
            to,
            bytes,
            isFromNobody: from === '',
            key,
            trace: { from: hello, by: listen.server.name, protocol },
          });
          return { code: 250, enhanced: '2.0.0', text: `Accepted as ${id}` };
        } catch (error) {
          if (error instanceof Refusal) return refusalAnswer(error);
          log.error({ err: error }, 'a submitted mail could not be written');
          return { code: 451, enhanced: '4.3.0', text: 'It could not be written, try again later' };
        }
      },
    },
  );
}
