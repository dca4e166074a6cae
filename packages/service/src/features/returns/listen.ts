import type { Logger } from 'pino';
import { listenSmtp, type SmtpListener } from '../smtp/index.js';
import type { ReturnIntake } from './intake.js';

export interface ListenReturnsOptions {
  readonly intake: ReturnIntake;
  readonly log: Logger;
  readonly domain: string;
  readonly maxBytes: number;
  /** Certificate and key in PEM; without them connections stay open to read. */
  readonly tls: { readonly cert: string; readonly key: string } | undefined;
  /** From one address, in a minute. */
  readonly connectionsPerMinute: number;
  /** Somebody wrote to a return path that we did not make. */
  readonly forged: () => void;
}

/** Listens for mail to return paths; nothing else is taken, and nothing is passed on. */
export function listenReturns(host: string, port: number, options: ListenReturnsOptions): Promise<SmtpListener> {
  const { intake, log, domain, maxBytes, tls, connectionsPerMinute, forged } = options;
  return listenSmtp(
    host,
    port,
    { name: domain, maxBytes, maxRecipients: 100, secure: tls !== undefined },
    {
      tls,
      connectionsPerMinute,
      recipient: ({ to }) => {
        // Before DATA: nobody who guesses sends us more than a line.
        if (intake.deliveryAt(to) !== undefined) return { code: 250, enhanced: '2.1.5', text: 'OK' };
        forged();
        return { code: 550, enhanced: '5.1.1', text: 'No such return path' };
      },
      mail: async ({ from, to, bytes }) => {
        try {
          for (const text of to) await intake.receive({ bytes, source: 'mail', envelopeFrom: from, envelopeTo: text, space: undefined });
        } catch (error) {
          log.error({ err: error }, 'a return could not be written');
          return { code: 451, enhanced: '4.3.0', text: 'It could not be written, try again later' };
        }
        return { code: 250, enhanced: '2.0.0', text: 'Kept' };
      },
    },
  );
}
