import { readCause, type Cause } from '../delivery/index.js';
import { fieldOf, partBytes, partsOf, partText, readMail, type Part } from '../mime/index.js';
import { textOfHtml } from '../program/text-of-html.js';
import { isComplaint, readFeedback, type Feedback } from './feedback.js';
import { addressOf, groupsOf, typed, type Group } from './groups.js';
import { bounceScore, isAutoReply } from './kinds.js';
import { addressesIn, bareId, messageIdOf, originalIn, originalInText, type Original } from './original.js';
import { isGivenUp, ranOut, readProse, type ProseOutcome, type Mention, type Prose } from './prose.js';
import { isGenericStatus, readQuoted, readStatus, type Quoted } from './quoted.js';
import { tokenOf } from './token.js';

export type Action = 'failed' | 'delayed' | 'delivered' | 'relayed' | 'expanded';

/** What a report says of one recipient (RFC 3464 2.3). */
export interface RecipientReport {
  readonly address: string;
  readonly action: Action;
  /** RFC 3463: the report's own, or the quoted one where that says more. */
  readonly status: string | undefined;
  /** RFC 5321: that of the server that refused. */
  readonly replyCode: number | undefined;
  readonly cause: Cause;
  /** How the cause was found out. */
  readonly evidence: string;
  readonly confidence: 'sure' | 'likely' | 'guess';
  /** Whether the last word of the other side was one for good; an email may have failed without it. */
  readonly permanent: boolean;
  /** What the other side said, on one line. */
  readonly diagnostic: string | undefined;
}

/** `feedback`: a feedback report (RFC 5965) that is no complaint; its type says what it is. */
export type ReturnKind = 'delivery-status' | 'complaint' | 'feedback' | 'auto-reply' | 'read-receipt' | 'other';

export interface ReturnReading {
  readonly kind: ReturnKind;
  /** What stands behind "+" in the address that it was sent to. */
  readonly token: string | undefined;
  /** Of the mail that it is about, without angle brackets. */
  readonly originalMessageId: string | undefined;
  /** The return path of the mail that it is about, where that is told. */
  readonly originalFrom: string | undefined;
  readonly envelopeId: string | undefined;
  /** Of a feedback report (RFC 5965), also of one that is no complaint. */
  readonly feedbackType: string | undefined;
  readonly recipients: readonly RecipientReport[];
  /** Addresses that a feedback report names which says nothing of how a delivery ended. */
  readonly about: readonly string[];
}

export interface ReturnContext {
  /** The address that it was sent to, as the envelope says. */
  readonly envelopeTo?: string | undefined;
  /** Whom the mail had gone to, where that is known: counts where the report names nobody. */
  readonly recipient?: string | undefined;
}

/** Bytes of text that are looked at. */
const MOST_TEXT = 256 * 1024;
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

function isLeaf(part: Part): boolean {
  return part.parts.length === 0 && !part.type.startsWith('multipart/');
}

function bounded(part: Part): string {
  return partText(part.body.byteLength > MOST_TEXT ? { ...part, body: part.body.subarray(0, MOST_TEXT) } : part);
}

const STATUS_TYPES = new Set(['message/delivery-status', 'message/global-delivery-status']);

/** Whether a part holds the fields of a report, whatever it is called. */
function holdsStatus(part: Part): boolean {
  if (!isLeaf(part) || part.type === 'text/html' || part.body.byteLength > MOST_TEXT) return false;
  const text = bounded(part);
  return /^(?:Final|Original)-Recipient[ \t]{0,8}:/im.test(text) && /^(?:Action|Status)[ \t]{0,8}:/im.test(text);
}

function proseOf(parts: readonly Part[]): string {
  const plain = parts.filter((part) => part.type === 'text/plain' || (part.type.startsWith('text/') && part.type !== 'text/html'));
  const text = plain.map(bounded).join('\n\n');
  if (text.trim() !== '') return text;
  return parts
    .filter((part) => part.type === 'text/html')
    .map((part) => textOfHtml(bounded(part)))
    .join('\n\n');
}

const WORDS: readonly (readonly [RegExp, Action])[] = [
  [/^(?:fail|bounce|reject|undeliver|error|permanent)/, 'failed'],
  [/^(?:delay|defer|warn|transient|temporar|retry)/, 'delayed'],
  [/^(?:deliver|success|ok)/, 'delivered'],
  [/^(?:relay|forward)/, 'relayed'],
  [/^expand/, 'expanded'],
];

function readAction(value: string | undefined): Action | undefined {
  const word = value?.trim().toLowerCase() ?? '';
  return WORDS.find(([pattern]) => pattern.test(word))?.[1];
}

/** What is known of a recipient before it is judged. */
interface Evidence {
  readonly address: string;
  readonly action: Action | undefined;
  readonly fieldStatus: string | undefined;
  /** The report's field, where it has one. */
  readonly diagnostic: string | undefined;
  readonly mention: Mention | undefined;
}

/** What the whole mail tells, for recipients that it says nothing more of. */
interface Setting {
  readonly prose: Prose;
  readonly subject: string;
  /** Whether only one recipient is reported on, so that all that is said is said of it. */
  readonly single: boolean;
}

/** How much a status says: only its class, its subject too, or all. */
function detailOf(status: string): number {
  return /\.0\.0$/.test(status) ? 0 : isGenericStatus(status) ? 1 : 2;
}

function pickStatus(field: string | undefined, quoted: string | undefined): string | undefined {
  if (field === undefined || quoted === undefined) return field ?? quoted;
  // What was cut short or left open is told by the answer that is quoted.
  if (isGenericStatus(field) && (detailOf(quoted) > detailOf(field) || quoted.charAt(0) !== field.charAt(0))) return quoted;
  return field;
}

function says(quoted: Quoted | undefined): boolean {
  return quoted !== undefined && (quoted.replyCode !== undefined || (quoted.status !== undefined && !isGenericStatus(quoted.status)));
}

/** A name server that did not answer may do so another time. */
const NO_NAMES = /try again|temporary failure|server failure|servfail|timed out/i;
/** Given up after days of temporary answers: that is why it failed, and not the last of them. */
const EXPIRED = { cause: 'expired', evidence: 'given up after a while', confidence: 'likely' } as const;
/** What says more of a mailbox than that it took too long. */
const OWN_TROUBLE: ReadonlySet<Cause> = new Set<Cause>(['mailbox-full', 'mailbox-disabled', 'mailbox-unknown', 'domain-unknown']);
const TEMPORARY: ReadonlySet<Cause> = new Set<Cause>(['expired', 'unreachable']);

function judge(evidence: Evidence, { prose, subject, single }: Setting): RecipientReport {
  const { mention } = evidence;
  const own = evidence.diagnostic === undefined || evidence.diagnostic.trim() === '' ? undefined : readQuoted(evidence.diagnostic);
  const told = mention === undefined || mention.reason.trim() === '' ? undefined : readQuoted(mention.reason);
  const heard = single || mention !== undefined ? prose.transcript : undefined;
  // The first that quotes a code; without any, the first that says something.
  const quoted = [own, told, single ? heard : undefined].find(says) ?? own ?? told ?? (single ? heard : undefined);
  const status = pickStatus(evidence.fieldStatus, quoted?.status);
  const diagnostic = own?.text ?? quoted?.text;
  const words = [...new Set([own?.text, quoted?.text, own === undefined || !says(own) ? told?.text : undefined])]
    .filter(Boolean)
    .join('\n');
  const action = actionOf(evidence, status, { prose, subject, single });
  const reply = readCause({ status, replyCode: quoted?.replyCode, diagnostic: words });
  const isUp =
    action === 'failed' && quoted?.replyCode !== undefined && quoted.replyCode < 500 && (ranOut(words) || (single && prose.ranOut));
  const { cause, evidence: found, confidence } = isUp && !OWN_TROUBLE.has(reply.cause) ? EXPIRED : reply;
  const good = action === 'delivered' || action === 'relayed' || action === 'expanded';
  const replyClass = quoted?.replyCode === undefined ? quoted?.status?.charAt(0) : String(quoted.replyCode).charAt(0);
  // A generic code of the report's own says nothing against what kind of trouble it was.
  const timedOut = replyClass === undefined && (ranOut(words) || (cause === 'unroutable' && NO_NAMES.test(words)));
  const lasting =
    replyClass === '5' ? cause !== 'expired' : replyClass !== '4' && status?.startsWith('4') !== true && !TEMPORARY.has(cause) && !timedOut;
  return {
    address: evidence.address,
    action,
    status,
    replyCode: quoted?.replyCode,
    cause: good ? 'other' : cause,
    evidence: good ? '' : found,
    confidence,
    permanent: action === 'failed' && lasting,
    diagnostic,
  };
}

function actionOf({ action, mention }: Evidence, status: string | undefined, { prose, subject, single }: Setting): Action {
  const outcome: ProseOutcome | undefined = mention?.outcome ?? (single ? prose.outcome : undefined);
  if (action === 'delayed') {
    const nearby = `${subject}\n${mention?.reason ?? ''}`;
    const over =
      outcome === 'delayed'
        ? isGivenUp(mention?.reason ?? '')
        : isGivenUp(nearby) || (prose.givenUp && outcome !== undefined) || status?.startsWith('5') === true;
    return over ? 'failed' : 'delayed';
  }
  if (action !== undefined) return action;
  if (status?.startsWith('2') === true) return outcome === 'relayed' ? 'relayed' : 'delivered';
  if (status?.startsWith('4') === true) return outcome ?? 'delayed';
  return status?.startsWith('5') === true ? 'failed' : (outcome ?? 'failed');
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

/** The parts of a returned mail by what they are for. */
interface ReturnParts {
  readonly status: readonly Part[];
  /** A read receipt (RFC 8098). */
  readonly receipt: Part | undefined;
  /** A complaint (RFC 5965). */
  readonly feedback: Part | undefined;
  /** The mail that came back, or its header. */
  readonly original: Original | undefined;
  /** What is written for people. */
  readonly prose: readonly Part[];
}

function sortParts(mail: Part): ReturnParts {
  const parts = [...partsOf(mail)];
  const leaves = parts.filter(isLeaf);
  const reports = parts.filter((part) => STATUS_TYPES.has(part.type));
  const isReport = mail.type === 'multipart/report' || parts.some((part) => part.type === 'multipart/report');
  const disguised =
    reports.length > 0
      ? []
      : leaves.filter(
          (part) =>
            holdsStatus(part) &&
            (isReport || part.type !== 'text/plain' || bounceScore(mail, { tellsFate: true, quotesReply: false }) >= 3),
        );
  const status = reports.length > 0 ? reports : disguised.slice(0, 1);
  const receipt = parts.find((part) => part.type === 'message/disposition-notification');
  const feedback =
    parts.find((part) => part.type === 'message/feedback-report') ??
    (reportType(mail) === 'feedback-report' ? leaves.find((part) => /^Feedback-Type[ \t]{0,8}:/im.test(bounded(part))) : undefined);
  const special = [...status, receipt, feedback].filter((part) => part !== undefined);
  const texts = leaves.filter(
    (part) => part.type.startsWith('text/') && !/^text\/(?:rfc822-headers|calendar)$/.test(part.type) && !special.includes(part),
  );
  const original: Original | undefined = originalIn(parts, [...special, ...texts.slice(0, 1), mail]);
  return { status, receipt, feedback, original, prose: texts.filter((part, i) => i === 0 || !looksReturned(part, original)) };
}

function reportType(mail: Part): string | undefined {
  return mail.parameters['report-type']?.toLowerCase();
}

/** Addresses that a report does not complain about: ours, and those that send reports. */
function innocent(mail: Part, envelopeTo: string | undefined, original: Original | undefined): (address: string) => boolean {
  const fields = ['to', 'from', 'sender', 'reply-to', 'delivered-to', 'x-original-to'];
  const ours = new Set(
    [envelopeTo, ...fields.flatMap((name) => addressesIn(fieldOf(mail, name))), ...senderOf(original)]
      .filter((address) => address !== undefined)
      .map((address) => address.toLowerCase()),
  );
  return (address) => ours.has(address.toLowerCase()) || /^(?:postmaster|mailer-daemon|abuse|hostmaster)@/i.test(address);
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
  const parts = sortParts(mail);
  const envelopeTo = context.envelopeTo?.replace(/^<|>$/g, '');
  const prose = readProse(proseOf(parts.prose), innocent(mail, envelopeTo, parts.original));
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
  if (isStatus || (all.length > 0 && looksLikeBounce(mail, prose))) {
    const setting = { prose, subject: fieldOf(mail, 'subject') ?? '', single: all.length === 1 };
    return { ...base, kind: 'delivery-status', recipients: all.map((evidence) => judge(evidence, setting)) };
  }
  const text = parts.prose.length === 0 ? '' : proseOf(parts.prose);
  return { ...base, kind: isAutoReply(mail, text) ? 'auto-reply' : 'other' };
}

function looksLikeBounce(mail: Part, prose: Prose): boolean {
  const quotesReply = says(prose.transcript) || prose.mentions.some((mention) => says(readQuoted(mention.reason)));
  return bounceScore(mail, { tellsFate: prose.outcome !== undefined, quotesReply }) >= ENOUGH;
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

/** Whether a text is the returned mail (or its header), and not what the report says. */
function looksReturned(part: Part, original: Original | undefined): boolean {
  if (original === undefined) return false;
  return /^\s{0,40}(?:>?From [^\n]{0,200}\n)?(?:Return-Path|Received|Message-ID|From|Date|Subject|To|DKIM-Signature|MIME-Version|X-[\w-]{1,60})[ \t]{0,8}:/i.test(
    bounded(part),
  );
}

/** Who had sent the mail that came back: nobody that a report names as failed. */
function senderOf(original: Original | undefined): string[] {
  if (original === undefined) return [];
  const to = addressesIn(fieldOf(original, 'to')).map((text) => text.toLowerCase());
  return ['from', 'sender', 'return-path', 'reply-to']
    .flatMap((name) => addressesIn(fieldOf(original, name)))
    .filter((text) => !to.includes(text.toLowerCase()));
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
