import { authenticate, readBarely, readInbound, splitHtml } from '@verbalis/core/inbound';
import { readMail, shownText } from '@verbalis/core/mime';
import { inThread } from '../../kernel/thread.js';
import { withCarried } from '../mail-view/index.js';
import type { ReadInbound } from './reading.js';

interface Input {
  readonly bytes: Uint8Array;
  readonly envelopeFrom: string;
  readonly hello: string;
  readonly address: string;
  /** Whether the DNS is asked about it. */
  readonly isChecked: boolean;
  readonly seconds: number;
}

inThread((remote) => {
  const judged = async (mail: Input, reading: ReadInbound['reading']): Promise<ReadInbound> => {
    const { isChecked, seconds } = mail;
    const author = reading.from?.address.split('@').pop();
    const ask = (name: string, type: string) => remote.call<never>('ask', { name, type });
    return { reading, authentication: isChecked ? await authenticate(mail, { author, ask, seconds }) : undefined };
  };
  return {
    read: (mail: Input) => judged(mail, readInbound(mail.bytes, mail.envelopeFrom)),
    readBarely: (mail: Input) => judged(mail, readBarely(mail.bytes, mail.envelopeFrom)),
    show: ({ bytes }: Pick<Input, 'bytes'>): string => {
      const mail = readMail(bytes);
      return withCarried(splitHtml(shownText(mail, 'html') ?? '')?.whole ?? '', mail);
    },
  };
});
