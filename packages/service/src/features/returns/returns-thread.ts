import { phraseBook, type AddedPhrases, type PhraseBook } from '@verbalis/core/phrases';
import type { ReceivedMail } from '../smtp/index.js';
import { smtpThread } from '../smtp/thread.js';
import { hashOf, readIncoming, type ReadReturn } from './reading.js';

/** For each recipient of the envelope: what the return says when it was sent there. */
export type ReadReturns = readonly (ReadReturn & { readonly hash: string })[];

let book: PhraseBook | undefined;

smtpThread((mail: ReceivedMail, phrases: readonly AddedPhrases[]): ReadReturns => {
  const known = (book ??= phraseBook(phrases));
  return mail.to.map((address) => ({
    ...readIncoming(mail.bytes, { envelopeTo: address, recipient: mail.known[address], book: known }),
    hash: hashOf(mail.bytes, address),
  }));
});
