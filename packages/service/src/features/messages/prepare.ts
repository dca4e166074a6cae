import { headerFault, addressText, type Mailbox } from '@verbalis/core/mime';
import { fairnessKey, isNamed } from '@verbalis/core/delivery';
import { BUILT_IN, type Editions, type LoadedEdition } from '../editions/index.js';
import { type Clock, type Tx, invalid, Refusal, type RequestProblem, newId, type TraceContext } from '../../kernel/index.js';
import type { NewMessage } from './queries.js';
import type { DeliveryRow, MessageMore, MessageRow } from './tables.js';
import type { Store } from './store.js';
import { attachmentsOf } from '../attachments/index.js';
import { readyContent, templateContent, type Content } from './content.js';
import { keptUntil, type Topic } from './keeping.js';
import { mailboxOf, recipients, senderOf, stored } from './people.js';
import { timingOf } from './timing.js';
import { NO_RULES, type SpaceRules } from '../spaces/index.js';
import type { MessageRequest } from './model.js';
import type { Senders } from '../senders/index.js';
import { refuseUnconfirmed } from './unconfirmed.js';
import { refuseUnleavable, refuseUnsigned, type SigningRules } from './unsigned.js';

export interface PrepareOptions extends SigningRules {
  readonly senders: Senders;
  /** Whether people can reach the service, to leave a topic. */
  readonly canLeave: boolean;
  readonly store: Store;
  readonly editions: Editions;
  readonly clock: Clock;
  readonly spaces: ReadonlyMap<string, SpaceRules>;
  /** All attachments of a message together, in bytes. */
  readonly attachmentBytes: number;
  readonly maxRecipients: number;
}

/** A message that can be written. `keep` writes what comes with it; it is called within the transaction. */
export interface Prepared {
  readonly message: MessageRow;
  /** Everybody whom the request names. */
  readonly recipients: readonly string[];
  readonly deliveries: DeliveryRow[];
  /** What is encrypted of it: its row has the same masked. */
  readonly secret: SecretParts | undefined;
  readonly keep: (tx: Tx) => NewMessage['attachments'];
}

/** What a message has that its row shows masked. */
export interface SecretParts {
  readonly subject: string;
  readonly data: unknown;
}

/** What a space's messages are made from. */
export interface SpaceEditions {
  /** The edition in use, where there is one. */
  readonly current: LoadedEdition | undefined;
  /** What the service brings itself. */
  readonly plain: LoadedEdition | undefined;
}

/** The editions that a message of a space may need, in memory. */
export async function editionsOf(editions: Editions, space: string): Promise<SpaceEditions> {
  return { current: await editions.current(space), plain: await editions.get(space, BUILT_IN) };
}

/** A message to be prepared. */
export interface ToPrepare {
  readonly space: string;
  readonly wanted: MessageRequest;
  readonly now: number;
  /** Whether the template is one of the service's own. */
  readonly isBuiltIn: boolean;
  /** Only its recipients may read it, and its content is kept for so long, in milliseconds. */
  readonly sealedMs?: number | undefined;
  readonly trace?: TraceContext | undefined;
  /** Of an answer to inbound mail. */
  readonly answer?: AnswerTo | undefined;
}

/** How an answer to inbound mail is given. */
export interface AnswerTo {
  readonly by: 'person' | 'program';
  /** Whether what is answered to it comes to the service again. */
  readonly replies: boolean;
}

/** Checks everything that could go wrong later. @throws Refusal that names all of it */
export function prepareMessage(
  options: PrepareOptions,
  { current, plain }: SpaceEditions,
  { space, wanted, now, isBuiltIn, sealedMs, trace, answer }: ToPrepare,
): Prepared {
  const { store, maxRecipients, attachmentBytes } = options;
  const rules: SpaceRules = options.spaces.get(space) ?? NO_RULES;
  // An email that the app has made itself needs no edition.
  const needsNone = isBuiltIn || (wanted.template === undefined && current === undefined);
  const edition = needsNone ? plain : current;
  if (edition === undefined) throw nothingPublished(space);
  const problems: RequestProblem[] = [];
  const to = recipients(wanted.to, 'to', maxRecipients, problems);
  const cc = recipients(wanted.cc ?? [], 'cc', maxRecipients, problems);
  const bcc = recipients(wanted.bcc ?? [], 'bcc', maxRecipients, problems);
  const replyTo = recipients(wanted.replyTo ?? [], 'replyTo', 10, problems);
  const files = attachmentsOf(wanted.attachments ?? [], { store, edition, space, most: attachmentBytes, now }, problems);
  const timing = timingOf(wanted, edition, now, problems);
  const content =
    wanted.template === undefined
      ? readyContent(wanted, edition, problems)
      : templateContent(wanted, { name: wanted.template, edition, space, now, isExempt: rules.mode === 'capture', problems });
  if (problems.length > 0 || content === undefined) throw invalid(problems);
  const sender = senderOf({
    edition: (isBuiltIn ? current : undefined) ?? edition,
    own: content.sender,
    rules,
    asked: wanted.from,
    added: (address) => options.senders.find(space, address),
  });
  const topic = edition.project.settings.topics[content.topic ?? ''];
  const isSensitive = content.masked !== undefined;
  const answers = answersOf(replyTo.length > 0 ? replyTo : mailboxOf(content.replyTo), { answer, topic, rules });
  const more = {
    ...moreOf(store, space, wanted, { cc, replyTo: answers.replyTo }),
    ...(isSensitive ? { sensitive: true } : trackingOf(topic, wanted.tracking)),
    ...trace,
    ...(answers.replies ? { replies: true } : {}),
    ...(answer === undefined ? {} : { answer: answer.by }),
    ...(sealedMs === undefined ? {} : { sealed: true }),
  };
  refuseUnleavable({ canLeave: options.canLeave, mode: rules.mode, topic, name: content.topic });
  // What the service writes itself goes out as it can.
  if (!isBuiltIn) refuseUnconfirmed(options.senders, rules, { space, sender });
  if (!isBuiltIn) refuseUnsigned(options, { space, domain: sender.domain, topic, isAllowed: rules.unsigned });
  const made = messageOf(wanted, { space, now, content, sender, to, more, rules, topic });
  const message = sealedMs === undefined ? made : { ...made, bodyUntil: now + sealedMs, dataUntil: now + sealedMs };
  const addressed = new Map([...to, ...cc, ...bcc].map((mailbox) => [addressText(mailbox), mailbox]));
  if (addressed.size > maxRecipients)
    throw invalid([{ path: 'to', message: `names ${addressed.size} recipients in all, more than ${maxRecipients}` }]);
  const asked = [...addressed.keys()];
  const isForItsRecipients = sealedMs !== undefined || isSensitive;
  for (const mailbox of isForItsRecipients ? [] : mailboxOf(rules.archive))
    if (!addressed.has(addressText(mailbox))) addressed.set(addressText(mailbox), mailbox);
  const expiresAt =
    timing.expiresAt ?? (topic?.lifetimeSeconds === undefined ? null : Math.max(now, timing.notBefore) + topic.lifetimeSeconds * 1000);
  const request = { topic: content.topic, urgent: topic?.purpose !== 'optional', nextAttemptAt: timing.notBefore, expiresAt, rules };
  const deliveries = [...addressed.values()].map((mailbox) => deliveryOf(message, mailbox, request));
  const secret = isSensitive ? { subject: marked(content.subject, rules), data: wanted.data ?? {} } : undefined;
  return { message, recipients: asked, deliveries, secret, keep: (tx) => files.keep(tx, message.id) };
}

/** Where answers go: as the app or the template names; of an answer to inbound mail, to the service; as the space says; as the topic says. */
function answersOf(
  named: readonly Mailbox[],
  { answer, topic, rules }: { readonly answer: AnswerTo | undefined; readonly topic: Topic | undefined; readonly rules: SpaceRules },
): { readonly replyTo: readonly Mailbox[]; readonly replies: boolean } {
  if (named.length > 0) return { replyTo: named, replies: false };
  if (answer?.replies === true) return { replyTo: [], replies: true };
  if (rules.replyTo !== undefined) return { replyTo: recipients([rules.replyTo], 'replyTo', 1, []), replies: false };
  return { replyTo: [], replies: topic?.replies === true };
}

function nothingPublished(space: string): Refusal {
  return new Refusal(409, 'nothing-published', 'Nothing is published in this space', {
    detail: `The space "${space}" has no edition yet.`,
    hint: 'Publish one: verbalis publish MAILFOLDER; or set its mailFolder in verbalis.yaml.',
  });
}

interface MessageParts {
  readonly space: string;
  readonly now: number;
  readonly content: Content;
  readonly sender: Mailbox;
  readonly to: readonly Mailbox[];
  readonly more: MessageMore;
  readonly rules: SpaceRules;
  readonly topic: Topic | undefined;
}

function messageOf(wanted: MessageRequest, { space, now, content, sender, to, more, rules, topic }: MessageParts): MessageRow {
  const id = newId('m', now);
  const { ready, localeAsked, masked } = content;
  return {
    id,
    space,
    edition: content.edition,
    template: content.template,
    locale: content.locale,
    topic: content.topic ?? null,
    subject: marked(masked?.subject ?? content.subject, rules),
    sender: stored(sender),
    to: to.map(stored),
    more: { ...more, ...(ready === undefined ? {} : { ready }), ...(localeAsked === undefined ? {} : { localeAsked }) },
    reference: wanted.reference ?? null,
    labels: { ...wanted.labels },
    data: masked === undefined ? (wanted.data ?? {}) : masked.data,
    headerId: `${id}@${sender.domain}`,
    createdAt: now,
    ...keptUntil(topic, now),
  };
}

interface DeliveryRequest {
  readonly topic: string | undefined;
  /** Essential mail goes before optional. */
  readonly urgent: boolean;
  readonly nextAttemptAt: number;
  readonly expiresAt: number | null;
  readonly rules: SpaceRules;
}

/** A delivery to one recipient, where the space's rules let it go. */
export function deliveryOf(
  message: MessageRow,
  recipient: Mailbox,
  { topic, urgent, nextAttemptAt, expiresAt, rules }: DeliveryRequest,
): DeliveryRow {
  const address = addressText(recipient);
  const { recipients } = rules;
  const allowed = recipients === undefined || isNamed(address, recipients.allowed);
  const redirect = allowed ? undefined : mailboxOf(recipients.redirectTo)[0];
  const kept = !allowed && redirect === undefined;
  return {
    id: newId('d', message.createdAt),
    messageId: message.id,
    space: message.space,
    address: redirect === undefined ? address : addressText(redirect),
    state: 'queued',
    cause: null,
    attempts: 0,
    createdAt: message.createdAt,
    nextAttemptAt,
    notBefore: nextAttemptAt > message.createdAt ? nextAttemptAt : null,
    owner: null,
    fairnessKey: fairnessKey({ urgent, space: message.space, kept, topic }),
    domain: (redirect ?? recipient).domain,
    senderDomain: message.sender.address.slice(message.sender.address.lastIndexOf('@') + 1),
    expiresAt,
    decidedBy: null,
    avoid: null,
    unfit: null,
    unsettled: null,
    unsettledAt: null,
    heldBy: null,
    heldFrom: null,
    intended: redirect === undefined ? null : address,
    kept,
    sensitive: message.more.sensitive === true,
  };
}

/** What becomes known of what recipients do: as much as the topic wants, and no more than the message allows. */
function trackingOf(topic: Topic | undefined, wanted: MessageRequest['tracking']): Pick<MessageMore, 'tracking'> {
  const own = topic?.tracking;
  if (own === undefined || wanted === false) return {};
  const tracking = { ...own, ...wanted };
  return tracking.opens || tracking.clicks ? { tracking } : {};
}

/** The subject with the space's mark. */
export function marked(subject: string, { mark }: SpaceRules): string {
  if (mark === undefined) return subject;
  return mark.place === 'before' ? `${mark.text} ${subject}` : `${subject} ${mark.text}`;
}

/** What only some messages have; nothing is written for the rest. */
function moreOf(
  store: Store,
  space: string,
  wanted: MessageRequest,
  addresses: { cc: readonly Mailbox[]; replyTo: readonly Mailbox[] },
): MessageMore {
  const problems: RequestProblem[] = [];
  const headers = Object.entries(wanted.headers ?? {});
  if (headers.length > 50) problems.push({ path: 'headers', message: 'has more than 50 fields' });
  for (const [name, value] of headers) {
    const fault = headerFault(name, value);
    if (fault !== undefined) problems.push({ path: `headers.${name}`, message: fault });
  }
  const headerId = (given: string, path: string): string => {
    const own = store.messages.find(space, given)?.headerId;
    if (own !== undefined) return own;
    const bare = /^<([\x21-\x3B\x3D\x3F-\x7E]{1,900})>$/.exec(given)?.[1];
    if (bare === undefined)
      problems.push({
        path,
        message: 'is neither the id of a message here nor a Message-ID',
        hint: 'A Message-ID looks like "<x@host.example>".',
      });
    return bare ?? '';
  };
  const inReplyTo = wanted.inReplyTo === undefined ? undefined : headerId(wanted.inReplyTo, 'inReplyTo');
  const given = (wanted.references ?? []).map((reference, i) => headerId(reference, `references[${i}]`));
  // What is answered belongs to its thread (RFC 5322 3.6.4).
  const before = inReplyTo === undefined ? undefined : store.messages.byHeaderId(space, inReplyTo)?.more;
  const references = given.length > 0 || inReplyTo === undefined ? given : [...(before?.references ?? []), inReplyTo];
  const { calendar } = wanted;
  if (calendar !== undefined && !/^BEGIN:VCALENDAR\r?\n[\s\S]*END:VCALENDAR\s*$/.test(calendar.text))
    problems.push({
      path: 'calendar.text',
      message: 'is no iCalendar object',
      hint: 'It begins with BEGIN:VCALENDAR and ends with END:VCALENDAR.',
    });
  if (problems.length > 0) throw invalid(problems);
  return {
    ...(addresses.cc.length > 0 ? { cc: addresses.cc.map(stored) } : {}),
    ...(addresses.replyTo.length > 0 ? { replyTo: addresses.replyTo.map(stored) } : {}),
    ...(headers.length > 0 ? { headers } : {}),
    ...(inReplyTo === undefined ? {} : { inReplyTo }),
    ...(references.length > 0 ? { references } : {}),
    ...(calendar === undefined ? {} : { calendar }),
  };
}
