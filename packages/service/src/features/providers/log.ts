import { addressText } from '@verbalis/core/mime';
import type { Logger } from 'pino';
import type { Provider } from './provider.js';

/** Says each mail in the log: enough to work with where there is a terminal only. Nothing leaves. */
export function logProvider(name: string, log: Logger): Provider {
  return {
    name,
    kind: 'log',
    where: 'the log',
    hand({ envelope, mail, parts }) {
      log.info(
        {
          to: envelope.to,
          from: addressText(parts.from),
          subject: parts.subject,
          bytes: mail.size,
          attachments: parts.attachments.map((attachment) => attachment.name),
        },
        `mail\n${parts.text}`,
      );
      return Promise.resolve({ kind: 'accepted', phase: 'content', reply: undefined, reason: 'Written to the log, not sent.' });
    },
    examine: () => Promise.resolve([{ step: 'log', ok: true, milliseconds: 0, detail: 'Emails are said in the log; nothing leaves.' }]),
    close: () => undefined,
  };
}
