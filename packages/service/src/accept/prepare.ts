import type { Clock } from '../clock.js';
import { instantOf, isNamed } from '@verbalis/core/delivery';
import { addressText, headerFault, isFault, parseMailbox, type Mailbox } from '@verbalis/core/mime';
import { didYouMean } from '@verbalis/core/problems';
import { textOfHtml } from '@verbalis/core/program';
import { RenderFault } from '@verbalis/core/render';
import { BUILT_IN, type Editions, type LoadedEdition, type ReadyTemplate } from '../editions/index.js';
import { invalid, Refusal, type RequestProblem } from '../refusal.js';
import { newId, type DeliveryRow, type MessageMore, type MessageRow, type NewMessage, type Store } from '../store/index.js';
import { attachmentsOf, type WantedAttachment } from './attachments.js';

export type WantedMailbox = string | { readonly name?: string | undefined; readonly address: string };

/** A message as an app asks for it; shapes are checked, meanings are not yet. */
export interface WantedMessage {
  /** A template; or the mail itself, made by the app. */
  readonly template?: string | undefined;
  readonly subject?: string | undefined;
  readonly html?: string | undefined;
  readonly text?: string | undefined;
  /** Of a mail without a template; a template names its own. */
  readonly topic?: string | undefined;
  readonly to: readonly WantedMailbox[];
  readonly cc?: readonly WantedMailbox[] | undefined;
  /** Get the mail without standing in it. */
  readonly bcc?: readonly WantedMailbox[] | undefined;
  readonly from?: WantedMailbox | undefined;
  readonly replyTo?: readonly WantedMailbox[] | undefined;
  readonly headers?: Readonly<Record<string, string>> | undefined;
  /** An id of a message, or a Message-ID in angle brackets. */
  readonly inReplyTo?: string | undefined;
  readonly references?: readonly string[] | undefined;
  readonly attachments?: readonly WantedAttachment[] | undefined;
  readonly calendar?: { readonly method: string; readonly text: string } | undefined;
  readonly data?: Readonly<Record<string, unknown>> | undefined;
  readonly locale?: string | undefined;
  readonly reference?: string | undefined;
  readonly labels?: Readonly<Record<string, string>> | undefined;
  /** Not before: an instant, or a clock time in `timeZone`. */
  readonly notBefore?: string | undefined;
  readonly expiresAt?: string | undefined;
  readonly timeZone?: string | undefined;
}

/** What the configuration says of a space's mails. */
export interface SpaceRules {
  readonly sender?: string | undefined;
  readonly replyTo?: string | undefined;
  readonly senderDomains: readonly string[];
  readonly archive?: string | undefined;
  readonly operator?: string | undefined;
  readonly mark?: { readonly text: string; readonly place: 'before' | 'after' } | undefined;
  readonly recipients?: { readonly allowed: readonly string[]; readonly redirectTo?: string | undefined } | undefined;
}

export interface PrepareOptions {
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
  readonly deliveries: DeliveryRow[];
  readonly keep: () => NewMessage['attachments'];
}

const YEAR_MS = 366 * 24 * 3_600_000;
const LONGEST_READY = 2 * 1024 * 1024;

/** What a template or the app itself gives to a message. */
interface Content {
  readonly template: string;
  readonly edition: number;
  readonly locale: string;
  readonly topic: string | undefined;
  readonly subject: string;
  readonly sender: string | undefined;
  readonly replyTo: string | undefined;
  readonly ready: MessageMore['ready'];
}

/** Checks everything that could go wrong later. @throws Refusal that names all of it */
export function prepareMessage(options: PrepareOptions, space: string, wanted: WantedMessage, now: number, builtIn: boolean): Prepared {
  const { store, editions, maxRecipients, attachmentBytes } = options;
  const rules: SpaceRules = options.spaces.get(space) ?? { senderDomains: [] };
  const current = editions.current(space);
  const edition = builtIn ? editions.get(space, BUILT_IN) : current;
  if (edition === undefined) {
    throw new Refusal(409, 'nothing-published', 'Nothing is published in this space', {
      detail: `The space "${space}" has no edition yet.`,
      hint: 'Publish one: verbalis publish MAILFOLDER; or set its mailFolder in verbalis.yaml.',
    });
  }
  const problems: RequestProblem[] = [];
  const to = recipients(wanted.to, 'to', maxRecipients, problems);
  const cc = recipients(wanted.cc ?? [], 'cc', maxRecipients, problems);
  const bcc = recipients(wanted.bcc ?? [], 'bcc', maxRecipients, problems);
  const replyTo = recipients(wanted.replyTo ?? (rules.replyTo === undefined ? [] : [rules.replyTo]), 'replyTo', 10, problems);
  const files = attachmentsOf(wanted.attachments ?? [], { store, edition, space, most: attachmentBytes, now }, problems);
  const timing = timingOf(wanted, edition, now, problems);
  const content =
    wanted.template === undefined
      ? readyContent(wanted, edition, problems)
      : templateContent(wanted, wanted.template, edition, space, now, problems);
  if (problems.length > 0 || content === undefined) throw invalid(problems);
  const sender = senderOf((builtIn ? current : undefined) ?? edition, content.sender, rules, wanted.from);
  const more = moreOf(store, space, wanted, { cc, replyTo: replyTo.length > 0 ? replyTo : mailboxOf(content.replyTo) });
  const id = newId('m', now);
  const message: MessageRow = {
    id,
    space,
    edition: content.edition,
    template: content.template,
    locale: content.locale,
    topic: content.topic ?? null,
    subject: marked(content.subject, rules),
    sender: stored(sender),
    to: to.map(stored),
    more: content.ready === undefined ? more : { ...more, ready: content.ready },
    reference: wanted.reference ?? null,
    labels: { ...wanted.labels },
    data: wanted.data ?? {},
    headerId: `${id}@${sender.domain}`,
    createdAt: now,
  };
  const archive = rules.archive === undefined ? [] : recipients([rules.archive], 'archive', 1, []);
  const all = [...new Map([...to, ...cc, ...bcc].map((one) => [addressText(one), one])).values()];
  if (all.length > maxRecipients)
    throw invalid([{ path: 'to', message: `names ${all.length} recipients in all, more than ${maxRecipients}` }]);
  const topic = edition.project.settings.topics[content.topic ?? ''];
  const expiresAt =
    timing.expiresAt ?? (topic?.lifetimeSeconds === undefined ? null : Math.max(now, timing.notBefore) + topic.lifetimeSeconds * 1000);
  const lane = laneOf(space, content.topic, topic?.purpose);
  const deliveries = [...all, ...archive.filter((one) => !all.some((other) => addressText(other) === addressText(one)))].map((one) =>
    deliveryOf(message, one, { lane, nextAttemptAt: timing.notBefore, expiresAt, rules }),
  );
  return { message, deliveries, keep: () => files.keep(id) };
}

/** What goes out in turn with what: essential mail before optional; a topic's burst delays its own only. */
export function laneOf(space: string, topic: string | undefined, purpose: 'essential' | 'optional' | undefined): string {
  return `${purpose === 'optional' ? 1 : 0}/${space}/${topic ?? ''}`;
}

/** A delivery to one recipient, where the space's rules let it go. */
export function deliveryOf(
  message: MessageRow,
  recipient: Mailbox,
  { lane, nextAttemptAt, expiresAt, rules }: { lane: string; nextAttemptAt: number; expiresAt: number | null; rules: SpaceRules },
): DeliveryRow {
  const address = addressText(recipient);
  const allowed = rules.recipients === undefined || isNamed(address, rules.recipients.allowed);
  const redirect = allowed ? undefined : mailboxOf(rules.recipients.redirectTo)[0];
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
    leaseUntil: null,
    owner: null,
    lane,
    domain: (redirect ?? recipient).domain,
    expiresAt,
    avoid: null,
    intended: redirect === undefined ? null : address,
    kept: !allowed && redirect === undefined,
  };
}

/** The subject with the space's mark. */
export function marked(subject: string, { mark }: SpaceRules): string {
  if (mark === undefined) return subject;
  return mark.place === 'before' ? `${mark.text} ${subject}` : `${subject} ${mark.text}`;
}

function timingOf(
  wanted: WantedMessage,
  edition: LoadedEdition,
  now: number,
  problems: RequestProblem[],
): { notBefore: number; expiresAt: number | undefined } {
  let zone = wanted.timeZone ?? edition.project.settings.timeZone;
  try {
    new Intl.DateTimeFormat('en', { timeZone: zone });
  } catch {
    problems.push({ path: 'timeZone', message: `"${zone}" is no time zone`, hint: 'An IANA name such as "Europe/Paris".' });
    zone = 'UTC';
  }
  const read = (text: string | undefined, path: string): number | undefined => {
    if (text === undefined) return undefined;
    const at = instantOf(text, zone);
    if (at === undefined)
      problems.push({ path, message: 'is no time', hint: 'Like "2026-12-01T09:00:00Z", or "2026-12-01T09:00" in the time zone.' });
    return at;
  };
  const notBefore = read(wanted.notBefore, 'notBefore');
  const expiresAt = read(wanted.expiresAt, 'expiresAt');
  if (notBefore !== undefined && notBefore > now + YEAR_MS) problems.push({ path: 'notBefore', message: 'is more than a year ahead' });
  if (expiresAt !== undefined && expiresAt <= Math.max(now, notBefore ?? now))
    problems.push({ path: 'expiresAt', message: 'is past before the mail could be sent' });
  return { notBefore: Math.max(now, notBefore ?? now), expiresAt };
}

function templateContent(
  wanted: WantedMessage,
  name: string,
  edition: LoadedEdition,
  space: string,
  now: number,
  problems: RequestProblem[],
): Content | undefined {
  const template: ReadyTemplate | undefined = edition.templates.get(name);
  if (template === undefined) {
    const hint = didYouMean(name, edition.templates.keys());
    problems.push({ path: 'template', message: `there is no template "${name}" in edition ${edition.number}`, hint });
    return undefined;
  }
  for (const key of ['subject', 'html', 'text', 'topic'] as const)
    if (wanted[key] !== undefined)
      problems.push({ path: key, message: 'comes from the template', hint: 'Leave it out, or leave out "template".' });
  const data = wanted.data ?? {};
  for (const fault of template.files.checkData(data))
    problems.push({ path: fault.path === '' ? 'data' : `data.${fault.path}`, message: fault.message, hint: fault.hint });
  if (problems.length > 0) return undefined;
  const ready = template.render(wanted.locale);
  if (ready === undefined)
    throw new Refusal(409, 'template-broken', 'This template has errors', {
      detail: `The template "${name}" cannot be rendered.`,
      hint: 'Run verbalis check on its mail folder.',
    });
  let subject: string;
  try {
    // Rendered here once to find out what only the data can bring about; a mail that cannot be made is not accepted.
    subject = ready.renderer({ data, now, mail: { space } }).subject;
  } catch (error) {
    if (!(error instanceof RenderFault)) throw error;
    problems.push({ path: 'data', message: `${error.message} (${error.at})`, hint: error.hint });
    return undefined;
  }
  if (subject === '') problems.push({ path: 'data', message: 'the subject comes out empty', hint: 'Look at the subject of the template.' });
  const { topic, sender, replyTo } = template.compiled;
  return { template: name, edition: edition.number, locale: ready.program.locale, topic, subject, sender, replyTo, ready: undefined };
}

/** A mail that the app has made itself; a text part is made from its HTML where it brings none. */
function readyContent(wanted: WantedMessage, edition: LoadedEdition, problems: RequestProblem[]): Content | undefined {
  const { subject = '', html, text, topic } = wanted;
  if (subject.trim() === '')
    problems.push({ path: 'subject', message: 'is missing', hint: 'Name a template, or give subject with html or text.' });
  if (html === undefined && text === undefined) problems.push({ path: 'text', message: 'is missing', hint: 'Give html, text or both.' });
  if (wanted.data !== undefined && Object.keys(wanted.data).length > 0)
    problems.push({ path: 'data', message: 'has no meaning without a template' });
  if ((html ?? '').length + (text ?? '').length > LONGEST_READY)
    problems.push({ path: 'html', message: `and text have more than ${LONGEST_READY} characters` });
  const topics = Object.keys(edition.project.settings.topics);
  if (topic !== undefined && !topics.includes(topic))
    problems.push({ path: 'topic', message: `there is no topic "${topic}"`, hint: didYouMean(topic, topics) });
  if (problems.length > 0) return undefined;
  const shown = text ?? textOfHtml(html ?? '');
  const ready = html === undefined ? { text: shown } : { html, text: shown };
  const locale = wanted.locale ?? edition.project.settings.locale;
  return { template: '', edition: edition.number, locale, topic, subject, sender: undefined, replyTo: undefined, ready };
}

export function stored(one: Mailbox): { name: string; address: string } {
  return { name: one.name, address: addressText(one) };
}

function recipients(wanted: readonly WantedMailbox[], field: string, most: number, problems: RequestProblem[]): Mailbox[] {
  const out: Mailbox[] = [];
  if (wanted.length > most) problems.push({ path: field, message: `has ${wanted.length} recipients, more than ${most}` });
  wanted.slice(0, most).forEach((one, i) => {
    const path = `${field}[${i}]`;
    const parsed = parseMailbox(typeof one === 'string' ? one : one.address);
    if (isFault(parsed)) {
      problems.push({ path: typeof one === 'string' ? path : `${path}.address`, message: parsed.fault, hint: parsed.hint });
      return;
    }
    const name = typeof one === 'string' ? parsed.name : (one.name ?? parsed.name);
    if (/[\u0000-\u001F\u007F]/.test(name)) {
      problems.push({
        path: typeof one === 'string' ? path : `${path}.name`,
        message: 'holds a line break or control character',
        hint: 'A name stands on one line.',
      });
      return;
    }
    if (out.some((other) => addressText(other) === addressText(parsed))) {
      problems.push({ path, message: `names ${addressText(parsed)} a second time` });
      return;
    }
    out.push({ ...parsed, name });
  });
  return out;
}

/** What only some messages have; nothing is written for the rest. */
function moreOf(
  store: Store,
  space: string,
  wanted: WantedMessage,
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
  const given = (wanted.references ?? []).map((one, i) => headerId(one, `references[${i}]`));
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

function mailboxOf(written: string | undefined): Mailbox[] {
  const parsed = written === undefined ? undefined : parseMailbox(written);
  return parsed === undefined || isFault(parsed) ? [] : [parsed];
}

/** Who writes: the message's own word within the space's domains, then the template's, the space's, the mail folder's. */
function senderOf(edition: LoadedEdition, own: string | undefined, rules: SpaceRules, asked: WantedMailbox | undefined): Mailbox {
  const written = own ?? rules.sender ?? edition.project.settings.sender;
  const parsed = written === undefined ? undefined : parseMailbox(written);
  if (asked !== undefined) {
    const problems: RequestProblem[] = [];
    const [wanted] = recipients([asked], 'from', 1, problems);
    if (wanted === undefined) throw invalid(problems.map((one) => ({ ...one, path: one.path.replace('from[0]', 'from') })));
    const usual = parsed === undefined || isFault(parsed) ? [] : [parsed.domain];
    const allowed = [...new Set([...usual, ...rules.senderDomains.map((one) => one.toLowerCase())])];
    if (!allowed.some((domain) => wanted.domain === domain)) {
      const hint = `Allowed: ${allowed.join(', ') || 'none'}. More are set as senderDomains of the space in verbalis.yaml.`;
      throw invalid([{ path: 'from', message: `names the domain ${wanted.domain}, which this space may not send as`, hint }]);
    }
    return wanted;
  }
  if (parsed === undefined || isFault(parsed)) {
    throw new Refusal(409, 'no-sender', 'No sender is set', {
      detail:
        parsed === undefined ? 'Neither the space nor the mail folder names a sender.' : `The sender "${written ?? ''}" ${parsed.fault}.`,
      hint: 'Set sender: Name <address> in mail.yaml or for the space in verbalis.yaml.',
    });
  }
  return parsed;
}
