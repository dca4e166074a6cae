import type { AddedPhrases } from '@verbalis/core/phrases';
import { smtpThread, type ReadMail } from '../smtp/thread.js';
import type { ReadReturn } from './reading.js';

/** For each recipient of the envelope: what the return says when it was sent there. */
export type ReadReturns = readonly (ReadReturn & { readonly hash: string })[];

let reader: Promise<ReadMail<ReadReturns, readonly AddedPhrases[]>> | undefined;

async function load(): Promise<ReadMail<ReadReturns, readonly AddedPhrases[]>> {
  const [{ phraseBook }, { hashOf, readIncoming }] = await Promise.all([import('@verbalis/core/phrases'), import('./reading.js')]);
  let book: ReturnType<typeof phraseBook> | undefined;
  return (mail, phrases) => {
    const known = (book ??= phraseBook(phrases));
    return mail.to.map((address) => ({
      ...readIncoming(mail.bytes, { envelopeTo: address, recipient: mail.known[address], book: known }),
      hash: hashOf(mail.bytes, address),
    }));
  };
}

smtpThread(() => (reader ??= load()));
