import type { Logger } from 'pino';
import { threadFile } from '../../kernel/index.js';
import { listenApart, type ListenOptions, type SmtpListener } from '../smtp/index.js';
import type { ReturnIntake } from './intake.js';
import type { ReadReturns } from './returns-thread.js';
import type { TestMails } from './awaited.js';

export interface ListenReturnsOptions {
  readonly intake: ReturnIntake;
  readonly testMails: TestMails;
  readonly reportArrived: () => void;
  readonly log: Logger;
  readonly listen: ListenOptions;
  /** Somebody wrote to a return path that we did not make. */
  readonly forged: () => void;
}

/** Listens for mail to return paths; nothing else is taken, and nothing is passed on. */
export function listenReturns({ intake, testMails, reportArrived, log, listen, forged }: ListenReturnsOptions): Promise<SmtpListener> {
  const file = threadFile(import.meta.url, 'returns-thread.js');
  return listenApart<ReadReturns>(
    { file, name: 'returns', log, listen },
    {
      recipient: ({ to }) => {
        // Before DATA: nobody who guesses sends us more than a line.
        const recipient = intake.recipientAt(to);
        if (recipient !== undefined || intake.isRole(to) || testMails.isAwaited(to))
          return { code: 250, enhanced: '2.1.5', text: 'OK', known: recipient };
        forged();
        return { code: 550, enhanced: '5.1.1', text: 'No such return path' };
      },
      mail: async ({ mail: { from, to, bytes, hello, protocol, address }, reading }) => {
        try {
          for (const [i, envelopeTo] of to.entries()) {
            if (testMails.isAwaited(envelopeTo)) {
              await testMails.receive(envelopeTo, { bytes, envelopeFrom: from, hello, protocol, address });
              continue;
            }
            const read = 'error' in reading ? reading : reading.value[i];
            const more = read === undefined ? {} : 'hash' in read ? { read, hash: read.hash } : { read };
            await intake.receive({ bytes, source: 'mail', envelopeFrom: from, envelopeTo, space: undefined, ...more });
            if (intake.isRole(envelopeTo)) reportArrived();
          }
        } catch (error) {
          log.error({ err: error }, 'a return could not be written');
          return { code: 451, enhanced: '4.3.0', text: 'It could not be written, try again later' };
        }
        return { code: 250, enhanced: '2.0.0', text: 'Kept' };
      },
    },
  );
}
