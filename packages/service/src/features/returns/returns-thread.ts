import type { ReceivedMail } from '../smtp/index.js';
import { smtpThread } from '../smtp/thread.js';
import { hashOf, readIncoming, type ReadReturn } from './reading.js';

/** For each recipient of the envelope: what the return says when it was sent there. */
export type ReadReturns = readonly (ReadReturn & { readonly hash: string })[];

smtpThread((mail: ReceivedMail): ReadReturns =>
  mail.to.map((address) => ({ ...readIncoming(mail.bytes, address, mail.known[address]), hash: hashOf(mail.bytes, address) })),
);
