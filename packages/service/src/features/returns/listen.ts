import type { AddedPhrases } from '@verbalis/core/phrases';
import type { Answer } from '@verbalis/core/smtp';
import type { Logger } from 'pino';
import { threadFile } from '../../kernel/index.js';
import { listenApart, type ListenOptions, type SmtpListener, type ThreadMail } from '../smtp/index.js';
import type { ReturnIntake } from './intake.js';
import type { ReadReturns } from './returns-thread.js';
import type { InboundMail, TestMails } from './awaited.js';

export interface ListenReturnsOptions {
  readonly intake: ReturnIntake;
  readonly testMails: TestMails;
  readonly inbound: InboundMail;
  readonly reportArrived: () => void;
  readonly log: Logger;
  readonly listen: ListenOptions;
  /** Phrases that the configuration adds. */
  readonly phrases: readonly AddedPhrases[];
  /** Someone wrote to a return path that we did not make. */
  readonly forged: () => void;
}

/** Listens for mail to return paths, and to addresses that people write to; nothing else is taken, and nothing is passed on. */
export function listenReturns(options: ListenReturnsOptions): Promise<SmtpListener> {
  const { intake, testMails, inbound, log, listen, phrases, forged } = options;
  const file = threadFile(import.meta.url, 'returns-thread.js');
  return listenApart<ReadReturns>(
    { file, name: 'returns', log, listen, given: phrases },
    {
      recipient: ({ to, from }) => {
        // Before DATA: nobody who guesses sends us more than a line.
        const recipient = intake.recipientAt(to);
        const answer = recipient === undefined ? inbound.answerTo(to, from) : undefined;
        if (answer !== undefined) return answer;
        if (recipient !== undefined || intake.isRole(to) || testMails.isAwaited(to))
          return { code: 250, enhanced: '2.1.5', text: 'OK', known: recipient };
        forged();
        return { code: 550, enhanced: '5.1.1', text: 'No such address' };
      },
      mail: async (received) => {
        try {
          return (await take(options, received)) ?? { code: 250, enhanced: '2.0.0', text: 'Kept' };
        } catch (error) {
          log.error({ err: error }, 'a return could not be written');
          return { code: 451, enhanced: '4.3.0', text: 'It could not be written, try again later' };
        }
      },
    },
  );
}

/** Keeps an email for each of its recipients. @returns why it is not taken */
async function take(
  { intake, testMails, inbound, reportArrived }: ListenReturnsOptions,
  { mail, reading }: ThreadMail<ReadReturns>,
): Promise<Answer | undefined> {
  const { from: envelopeFrom, to, bytes, hello, protocol, address } = mail;
  const written: string[] = [];
  let fingerprint: string | undefined;
  for (const [i, envelopeTo] of to.entries()) {
    if (testMails.isAwaited(envelopeTo)) {
      await testMails.receive(envelopeTo, { bytes, envelopeFrom, hello, protocol, address });
      continue;
    }
    const read = 'error' in reading ? reading : reading.value[i];
    const known = read === undefined || 'error' in read ? undefined : read;
    // What a program has written about a delivery is not what a person writes, whichever address it came to.
    const isOfPerson = known === undefined || known.reading.kind === 'other';
    if (isOfPerson && intake.recipientAt(envelopeTo) === undefined && inbound.isFor(envelopeTo)) {
      const refusal = inbound.refuses({ hops: known?.hops ?? 0 });
      if (refusal !== undefined) return refusal;
      written.push(envelopeTo);
      fingerprint ??= known?.fingerprint;
      continue;
    }
    const more = read === undefined ? {} : 'hash' in read ? { read, hash: read.hash } : { read };
    await intake.receive({ bytes, source: 'mail', envelopeFrom, envelopeTo, broughtBy: { address, hello }, space: undefined, ...more });
    if (intake.isRole(envelopeTo)) reportArrived();
  }
  if (written.length > 0) await inbound.receive({ bytes, fingerprint, envelopeFrom, to: written, hello, address });
  return undefined;
}
