import { fieldOf, partBytes, readMail, type Part } from '../mime/index.js';
import { USUAL_BOOK, type PhraseBook } from '../phrases/index.js';
import { isComplaint, readFeedback, type Feedback } from './feedback.js';
import { addressOf, groupsOf, typed, type Group } from './groups.js';
import { bounceScore, isAutoReply } from './kinds.js';
import { judge, readAction, says, type Evidence, type RecipientReport } from './judge.js';
import { addressesIn, bareId, messageIdOf, originalInText, type Original } from './original.js';
import { bounded, innocent, MOST_TEXT, proseOf, reportType, sortParts } from './parts.js';
import { readProse, type Mention, type Prose } from './prose.js';
import { readQuoted, readStatus } from './quoted.js';
import { tokenOf } from './token.js';

/** `feedback`: a feedback report (RFC 5965) that is no complaint; its type says what it is. */
export type ReturnKind = 'delivery-status' | 'complaint' | 'feedback' | 'auto-reply' | 'read-receipt' | 'other';

export interface ReturnReading {
  readonly kind: ReturnKind;
  /** What stands behind "+" in the address that it was sent to. */
  readonly token: string | undefined;
  /** Of the mail that it is about, without angle brackets. */
  readonly originalMessageId: string | undefined;
  /** The return path of the mail that it is about, if it is named. */
  readonly originalFrom: string | undefined;
  readonly envelopeId: string | undefined;
  /** Of a feedback report (RFC 5965), also of one that is no complaint. */
  readonly feedbackType: string | undefined;
  readonly recipients: readonly RecipientReport[];
  /** Addresses in a feedback report that does not say how a delivery ended. */
  readonly about: readonly string[];
}

export interface ReturnContext {
  /** The address that it was sent to, as the envelope says. */
  readonly envelopeTo?: string | undefined;
  /** Whom the mail had gone to, where that is known: counts where the report names nobody. */
  readonly recipient?: string | undefined;
  /** Phrases of all languages, and those from the configuration. */
  readonly book?: PhraseBook | undefined;
}

const MOST_RECIPIENTS = 1000;
/** Signs that make an email without a standard's part a report. */
const ENOUGH = 4;

function tokenFor(mail: Part, envelopeTo: string | undefined): string | undefined {
  if (envelopeTo !== undefined) return tokenOf(envelopeTo.replace(/^<|>$/g, ''));
  for (const name of ['delivered-to', 'x-original-to', 'to'])
    for (const field of mail.fields.filter((headerField) => headerField.name === name))
      for (const address of addressesIn(field.raw)) {
        // An address of a recipient may have a "+" of its own.
        const token = /^returns\+/i.test(address) ? tokenOf(address) : undefined;
        if (token !== undefined && token !== '') return token;
      }
  return undefined;
}

function sameAddress(a: string | undefined, b: string | undefined): boolean {
  return a !== undefined && b !== undefined && a.toLowerCase() === b.toLowerCase();
}

function fromGroups(groups: readonly Group[], prose: Prose, fallback: readonly string[]): Evidence[] {
  const rows = groups.filter((group) =>
    ['final-recipient', 'original-recipient', 'x-actual-recipient', 'action'].some((name) => group.has(name)),
  );
  return rows.slice(0, MOST_RECIPIENTS).flatMap((group): Evidence[] => {
    const names = [group.get('original-recipient'), group.get('final-recipient'), group.get('x-actual-recipient')].map(addressOf);
    const mention =
      prose.mentions.find(({ address, alias }) => names.some((name) => sameAddress(name, address) || sameAddress(name, alias))) ??
      (rows.length === 1 && prose.mentions.length === 1 ? prose.mentions[0] : undefined);
    const [original, final, actual] = names;
    const valid = (name: string | undefined): string | undefined => (name?.includes('@') === true ? name : undefined);
    // The address that was written to, before the one that failed behind it.
    const address =
      unescaped(valid(original), valid(final)) ??
      valid(mention?.alias) ??
      valid(final) ??
      valid(actual) ??
      mention?.address ??
      (rows.length === 1 && fallback.length === 1 ? fallback[0] : undefined) ??
      final ??
      original;
    if (address === undefined) return [];
    return [
      {
        address,
        action: readAction(group.get('action')),
        fieldStatus: readStatus(group.get('status')),
        diagnostic: typed(group.get('diagnostic-code'))?.text,
        mention,
      },
    ];
  });
}

/** An ORCPT that was passed on in its escaped form (RFC 3461 4): known by the final address that it stands for. */
function unescaped(original: string | undefined, final: string | undefined): string | undefined {
  const plain = original?.replace(/\+([0-9A-F]{2})/g, (_all, hex: string) => String.fromCharCode(Number.parseInt(hex, 16)));
  return sameAddress(plain, final) ? final : original;
}

function aliasOr(address: string, mention: Mention | undefined): Pick<Evidence, 'address' | 'mention'> {
  return { address: mention?.alias ?? address, mention };
}

function fromProse(prose: Prose, failed: readonly string[], fallback: readonly string[]): Evidence[] {
  const bare = { action: undefined, fieldStatus: undefined, diagnostic: undefined };
  const told = prose.mentions.map((mention): Evidence => ({ ...bare, address: mention.alias ?? mention.address, mention }));
  // A field that names them is surer than what a text seems to say.
  if (failed.length > 0) {
    return failed.map((address) => ({
      ...bare,
      ...aliasOr(
        address,
        prose.mentions.find((mention) => sameAddress(mention.address, address) || sameAddress(mention.alias, address)),
      ),
    }));
  }
  if (told.length > 0) return told.slice(0, MOST_RECIPIENTS);
  return fallback.length === 1 ? fallback.map((address) => ({ ...bare, address, mention: undefined })) : [];
}

/** The message that a report is about, as far as it says. */
function referenceOf(
  mail: Part,
  {
    returned,
    groups,
    prose,
  }: { readonly returned: Original | undefined; readonly groups: readonly Group[]; readonly prose: readonly Part[] },
): Pick<ReturnReading, 'originalMessageId' | 'originalFrom' | 'envelopeId'> {
  const named = groups.map((group) => bareId(group.get('x-original-message-id') ?? group.get('original-message-id')));
  const originalMessageId = messageIdOf(returned) ?? named.find((id) => id !== undefined) ?? idInText(prose) ?? answered(mail);
  const originalFrom = returned === undefined ? undefined : addressesIn(fieldOf(returned, 'return-path'))[0];
  const envelopeIds = groups.map((group) => group.get('original-envelope-id')?.trim());
  return { originalMessageId, originalFrom, envelopeId: envelopeIds.find((id) => id !== undefined && id !== '') };
}

/**
 * Reads what came back by mail: reports of the standards (RFC 3464, 6533, 5965, 8098), of mail systems that keep to none, and what only
 * looks like one. Never throws; what cannot be understood is `other`.
 */
export function readReturn(bytes: Uint8Array, context: ReturnContext = {}): ReturnReading {
  const mail = readMail(bytes);
  const { book = USUAL_BOOK } = context;
  const parts = sortParts(mail, book);
  const envelopeTo = context.envelopeTo?.replace(/^<|>$/g, '');
  const prose = readProse(proseOf(parts.prose), innocent(mail, envelopeTo, parts.original), book);
  const returned = parts.original ?? originalInText(prose.rest);
  const groups = parts.status.flatMap((part) =>
    groupsOf(partBytes(part.body.byteLength > 4 * MOST_TEXT ? { ...part, body: part.body.subarray(0, 4 * MOST_TEXT) } : part)),
  );
  const base = {
    token: tokenFor(mail, envelopeTo),
    // A report that lost its form is one text, with the mail that it returns below it.
    ...referenceOf(mail, { returned, groups, prose: [...parts.prose, ...parts.status] }),
    feedbackType: undefined,
    recipients: [] as RecipientReport[],
    about: [] as string[],
  };
  const feedback = parts.feedback === undefined ? undefined : readFeedback(partBytes(parts.feedback));
  if (feedback !== undefined) return { ...base, ...feedbackOf(feedback, returned, base) };
  if (parts.receipt !== undefined || reportType(mail) === 'disposition-notification') {
    const fields = parts.receipt === undefined ? [] : groupsOf(partBytes(parts.receipt));
    const id = fields.map((field) => bareId(field.get('original-message-id'))).find((text) => text !== undefined);
    return { ...base, kind: 'read-receipt', originalMessageId: id ?? base.originalMessageId };
  }
  const fallback =
    context.recipient === undefined ? addressesIn(returned === undefined ? undefined : fieldOf(returned, 'to')) : [context.recipient];
  const failed = addressesIn(fieldOf(mail, 'x-failed-recipients'));
  const named = fromGroups(groups, prose, fallback.length === 1 ? fallback : failed);
  const all = named.length > 0 ? named : fromProse(prose, failed, fallback);
  const isStatus = named.length > 0 || (parts.status.length > 0 && groups.length > 0);
  if (isStatus || (all.length > 0 && looksLikeBounce(mail, prose, book))) {
    const setting = { book, prose, subject: fieldOf(mail, 'subject') ?? '', single: all.length === 1 };
    return { ...base, kind: 'delivery-status', recipients: all.map((evidence) => judge(evidence, setting)) };
  }
  const text = parts.prose.length === 0 ? '' : proseOf(parts.prose);
  return { ...base, kind: isAutoReply(mail, text, book) ? 'auto-reply' : 'other' };
}

function looksLikeBounce(mail: Part, prose: Prose, book: PhraseBook): boolean {
  const quotesReply = says(prose.transcript) || prose.mentions.some((mention) => says(readQuoted(mention.reason)));
  return bounceScore(mail, { tellsFate: prose.outcome !== undefined, quotesReply, book }) >= ENOUGH;
}

/** What a feedback report says (RFC 5965); without recipients of its own, it is about the first one of the mail. */
function feedbackOf(
  feedback: Feedback,
  returned: Original | undefined,
  base: Pick<ReturnReading, 'originalFrom' | 'envelopeId'>,
): Pick<ReturnReading, 'kind' | 'originalFrom' | 'envelopeId' | 'feedbackType' | 'recipients' | 'about'> {
  const first = addressesIn(returned === undefined ? undefined : fieldOf(returned, 'to')).slice(0, 1);
  const addresses = feedback.recipients.length > 0 ? feedback.recipients : first;
  const own = {
    originalFrom: feedback.mailFrom ?? base.originalFrom,
    envelopeId: feedback.envelopeId ?? base.envelopeId,
    feedbackType: feedback.type,
  };
  if (!isComplaint(feedback.type)) return { ...own, kind: 'feedback', recipients: [], about: addresses };
  return {
    ...own,
    kind: 'complaint',
    about: addresses,
    // It was delivered: else nobody could mind it.
    recipients: addresses.map((address) => ({
      address,
      action: 'delivered',
      status: undefined,
      replyCode: undefined,
      cause: 'other',
      evidence: '',
      confidence: 'sure',
      permanent: false,
      diagnostic: undefined,
    })),
  };
}

function idInText(parts: readonly Part[]): string | undefined {
  for (const part of parts) {
    const found = /^[\s>]{0,20}(?:original )?message-id\s{0,4}:\s{0,20}(<[^<>\s]{3,900}>)/im.exec(bounded(part));
    if (found !== null) return bareId(found[1]);
  }
  return undefined;
}

/** What an email answers (RFC 5322 3.6.4). */
function answered(mail: Part): string | undefined {
  const own = bareId(fieldOf(mail, 'in-reply-to'));
  return own ?? bareId(/<[^<>\s]{1,900}>\s*$/.exec(fieldOf(mail, 'references') ?? '')?.[0]);
}
