import type { Answer, Envelope } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import { startThread, type Thread } from '../../kernel/index.js';
import type { ListenOptions, SmtpListener } from './listen.js';
import type { SmtpLogin, SmtpPolicy, SmtpUser } from './session.js';
import type { ListenFault, ThreadData, ThreadMail } from './thread.js';

/** What the owner of a listener in a thread decides. */
export interface ApartPolicy<Read> extends Pick<SmtpPolicy, 'recipient' | 'login'> {
  /** The answer is the promise: 250 only when the mail is kept. */
  readonly mail: (received: ThreadMail<Read>) => Answer | Promise<Answer>;
}

export interface ApartOptions {
  /** JavaScript that calls `smtpThread`. */
  readonly file: string;
  /** As people read it. */
  readonly name: string;
  readonly log: Logger;
  readonly listen: ListenOptions;
  /** What reading an email needs to know; cloned. */
  readonly given?: unknown;
}

/** Memory of the thread's own; content of emails is beside it. In MiB. */
const MEMORY_MB = 256;
/** How long after its end a thread is started again, in milliseconds. */
const AGAIN_MS = 1000;
/** A thread that does not end is ended after so long, in milliseconds: longer than emails that are being decided about are waited for. */
const CLOSE_MS = 8000;

/**
 * Listens for SMTP in a thread of its own: whatever comes in is read there, and cannot hold up the service. A thread that ends is started again.
 * Rejects when a port cannot be had.
 */
export async function listenApart<Read>(
  { file, name, log, listen, given }: ApartOptions,
  policy: ApartPolicy<Read>,
): Promise<SmtpListener> {
  let thread: Thread | undefined;
  let isClosing = false;
  let again: NodeJS.Timeout | undefined;
  const methods = {
    recipient: ({ envelope, user }: { envelope: Envelope; user: SmtpUser }) => policy.recipient(envelope, user),
    login: (login: SmtpLogin): SmtpUser | Promise<SmtpUser> => policy.login?.(login),
    mail: ({ mail, ...received }: ThreadMail<Read>) => {
      const { buffer, byteOffset, byteLength } = mail.bytes;
      return policy.mail({ ...received, mail: { ...mail, bytes: Buffer.from(buffer, byteOffset, byteLength) } });
    },
    warn: ({ problem }: { readonly problem: string }) => {
      log.warn({ listener: name }, problem);
    },
  };
  let options = listen;
  async function start(): Promise<readonly number[]> {
    const data: ThreadData = { options, wantsLogin: policy.login !== undefined, given };
    const started = startThread(file, {
      name,
      data,
      methods,
      memoryMb: MEMORY_MB,
      ended: (why) => {
        if (thread !== started) return;
        thread = undefined;
        if (isClosing) return;
        log.error({ listener: name }, `${why} It is started again.`);
        restart();
      },
    });
    const ports = await started.call<readonly number[] | ListenFault>('listen', {});
    if ('fault' in ports) {
      await started.terminate();
      throw Object.assign(new Error(ports.fault.message), { code: ports.fault.code });
    }
    thread = started;
    return ports;
  }
  function restart(): void {
    again = setTimeout(() => {
      start().catch((error: unknown) => {
        log.error({ err: error, listener: name }, 'the listener could not be started again');
        if (!isClosing) restart();
      });
    }, AGAIN_MS);
  }
  const ports = await start();
  // Started again, it is found where it was.
  options = { ...listen, doors: listen.doors.map((door, i) => ({ ...door, port: ports[i] ?? door.port })) };
  return {
    ports,
    isListening: () => thread !== undefined,
    close: async () => {
      isClosing = true;
      clearTimeout(again);
      const own = thread;
      // What is answered during its end is still asked here; one that answers no more is not waited for.
      const closed = own?.call('close', {}).catch(() => undefined);
      await Promise.race([closed, new Promise((late) => setTimeout(late, CLOSE_MS).unref())]);
      thread = undefined;
      await own?.terminate();
    },
  };
}
