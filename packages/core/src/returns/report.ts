import { causeOf, type Cause } from '../delivery/index.js';
import { fieldOf, fieldText, partBytes, partsOf, readMail, type Part } from '../mime/index.js';

export const ACTIONS = ['failed', 'delayed', 'delivered', 'relayed', 'expanded'] as const;
export type Action = (typeof ACTIONS)[number];

/** What a report says of one recipient (RFC 3464 2.3). */
export interface RecipientReport {
  readonly address: string;
  readonly action: Action;
  readonly status: string | undefined;
  readonly replyCode: number | undefined;
  readonly cause: Cause;
  readonly permanent: boolean;
  readonly diagnostic: string | undefined;
}

export interface ReturnReading {
  readonly kind: 'delivery-status' | 'other';
  /** From the returned mail, without angle brackets. */
  readonly originalMessageId: string | undefined;
  readonly envelopeId: string | undefined;
  readonly recipients: readonly RecipientReport[];
}

type Group = ReadonlyMap<string, string>;

/** The groups of fields of a message/delivery-status body, parted by empty lines (RFC 3464 2.1). */
function groupsOf(part: Part): Group[] {
  const text = Buffer.from(partBytes(part))
    .toString('latin1')
    .slice(0, 1 << 20);
  return text
    .split(/(?:\r?\n){2,}|(?:\r?\n[ \t]*)(?=\r?\n)/)
    .map((block) => {
      const group = new Map<string, string>();
      const unfolded = block.replace(/\r?\n[ \t]+/g, ' ');
      for (const line of unfolded.split(/\r?\n/)) {
        const colon = line.indexOf(':');
        if (colon > 0) group.set(line.slice(0, colon).trim().toLowerCase(), fieldText(line.slice(colon + 1).trim()));
      }
      return group;
    })
    .filter((group) => group.size > 0);
}

/** "rfc822; someone@host" (also utf-8, x400 …): the part after the type. */
function afterType(value: string | undefined): string | undefined {
  if (value === undefined) return undefined;
  const semicolon = value.indexOf(';');
  return (semicolon === -1 ? value : value.slice(semicolon + 1)).trim();
}

const STATUS = /\b([245]\.\d{1,3}\.\d{1,3})\b/;

function recipientOf(group: Group): RecipientReport | undefined {
  const address = afterType(group.get('original-recipient')) ?? afterType(group.get('final-recipient'));
  const action = group.get('action')?.trim().toLowerCase().split(/[\s(]/)[0];
  if (address === undefined || !(ACTIONS as readonly string[]).includes(action ?? '')) return undefined;
  const diagnostic = afterType(group.get('diagnostic-code'));
  const status = STATUS.exec(group.get('status') ?? '')?.[1];
  const code = /^\s*([245]\d\d)\b/.exec(diagnostic ?? '')?.[1];
  const replyCode = code === undefined ? undefined : Number(code);
  const permanent = action === 'failed' && !(status?.startsWith('4') ?? false);
  return {
    address: address.replace(/^<|>$/g, ''),
    action: action as Action,
    status,
    replyCode,
    cause: causeOf({ status, replyCode, diagnostic }),
    permanent,
    diagnostic,
  };
}

/** Reads what came back by mail. Never throws; what is no report is `other`. */
export function readReturn(bytes: Uint8Array): ReturnReading {
  const mail = readMail(bytes);
  const parts = [...partsOf(mail)];
  const status = parts.find((part) => part.type === 'message/delivery-status' || part.type === 'message/global-delivery-status');
  const original = parts.find((part) => part.type === 'message/rfc822' || part.type === 'message/global');
  const headers = parts.find((part) => part.type === 'text/rfc822-headers' || part.type === 'message/global-headers');
  const returned =
    original?.parts[0] ??
    (headers === undefined ? undefined : readMail(Buffer.concat([Buffer.from(partBytes(headers)), Buffer.from('\r\n\r\n')])));
  const originalMessageId = (returned === undefined ? undefined : fieldOf(returned, 'message-id'))?.replace(/^<|>$/g, '');
  if (status === undefined) return { kind: 'other', originalMessageId, envelopeId: undefined, recipients: [] };
  const groups = groupsOf(status);
  const recipients = groups.map(recipientOf).filter((one) => one !== undefined);
  const envelopeId = groups.find((group) => group.has('original-envelope-id'))?.get('original-envelope-id');
  return { kind: 'delivery-status', originalMessageId, envelopeId, recipients };
}
