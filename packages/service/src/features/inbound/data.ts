import { instant, optionalInstant } from '../../kernel/index.js';
import type { MessageRow } from '../messages/index.js';
import type { InboundRow } from './queries.js';

type Read = Omit<InboundRow, 'bytes'>;

/** The address under which a file of an email is fetched, with a key. */
const pathOf = (id: string, part: number): string => `/v1/inbound/${id}/attachments/${part}`;

/** What is known of an email before it is read, and its subject. */
function coreOf(row: Read) {
  return {
    inbox: row.inbox,
    receivedAt: instant(row.receivedAt),
    to: [...row.envelopeTo],
    subject: row.subject,
    messageId: row.messageId ?? undefined,
    deliveryId: row.deliveryId ?? undefined,
    size: row.size,
  };
}

/** The fields of an email in lists. */
export function summaryOf(row: Read) {
  return {
    id: row.id,
    ...coreOf(row),
    state: row.state,
    from: { name: row.content?.fromName ?? '', address: row.from },
    start: (row.content?.text ?? '').slice(0, 160).replace(/\s+/g, ' '),
    attachments: row.content?.files.length ?? 0,
    suspicious: row.suspicious.length,
  };
}

/** All that was read of an email. */
export function detailOf(row: Read) {
  const { content } = row;
  return {
    cc: (content?.cc ?? []).map(({ address }) => address),
    headerId: row.headerId ?? undefined,
    inReplyTo: content?.answers[0],
    sentAt: optionalInstant(content?.sentAt),
    text: content?.text ?? '',
    quoted: content?.quoted ?? '',
    signature: content?.signature ?? '',
    html: content?.html ?? undefined,
    files: (content?.files ?? []).map((file) => ({ ...file, path: pathOf(row.id, file.part) })),
    language: content?.language,
    remotePictures: content?.remotePictures ?? 0,
    authentication: row.authentication === null ? undefined : { ...row.authentication, dkim: [...row.authentication.dkim] },
    suspicions: row.suspicious.map(({ code, text }) => ({ code, text })),
    noAnswer: content?.noAnswer,
  };
}

/** What the event of an email reports. */
export function eventDataOf(row: Read, message: MessageRow | undefined): Readonly<Record<string, unknown>> {
  const { suspicions, files, ...detail } = detailOf(row);
  const about =
    message === undefined
      ? {}
      : {
          template: message.template,
          topic: message.topic ?? undefined,
          reference: message.reference ?? undefined,
          labels: message.labels,
        };
  const data = {
    inboundId: row.id,
    ...coreOf(row),
    address: row.from,
    name: row.content?.fromName ?? '',
    ...about,
    ...detail,
    attachments: files,
    suspicious: suspicions,
  };
  return Object.fromEntries(Object.entries(data).filter(([, value]) => value !== undefined));
}
