import type { KnownNames } from '../payload/index.js';

const MAILBOX = ['name', 'address'] as const;
const FILE = ['name', 'type', 'size', 'id', 'base64', 'base64url', 'hex', 'dataUrl'] as const;
const PAIR = ['name', 'value'] as const;

/** What templates of a profile reach of a message. */
export const MESSAGE_NAMES: KnownNames = {
  id: undefined,
  deliveryId: undefined,
  from: MAILBOX,
  recipient: MAILBOX,
  to: { each: MAILBOX },
  cc: { each: MAILBOX },
  replyTo: { each: MAILBOX },
  returnPath: undefined,
  subject: undefined,
  text: undefined,
  html: undefined,
  headers: { each: PAIR },
  inReplyTo: undefined,
  references: undefined,
  calendar: ['method', 'text', 'base64'],
  unsubscribeUrl: undefined,
  attachments: { each: FILE },
  pictures: { each: FILE },
  template: undefined,
  topic: undefined,
  reference: undefined,
  labels: { each: PAIR },
  size: undefined,
  raw: undefined,
  rawBase64: undefined,
};

/** What the templates of a profile get of a message: a value for each of `MESSAGE_NAMES`. */
export type MessageView = Readonly<Record<string, unknown>>;
