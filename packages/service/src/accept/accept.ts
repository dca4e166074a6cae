import { createHash } from 'node:crypto';
import { addressText, headerFault, isFault, parseMailbox, type Mailbox } from '@verbalis/core/mime';
import { didYouMean } from '@verbalis/core/problems';
import { RenderFault } from '@verbalis/core/render';
import type { Clock } from '../clock.js';
import { BUILT_IN, type Editions, type LoadedEdition, type ReadyTemplate } from '../editions/index.js';
import { invalid, Refusal, type RequestProblem } from '../refusal.js';
import { newId, type DeliveryRow, type MessageMore, type MessageRow, type NewMessage, type Store } from '../store/index.js';
import { attachmentsOf, type WantedAttachment } from './attachments.js';

export type WantedMailbox = string | { readonly name?: string | undefined; readonly address: string };

/** A message as an app asks for it; shapes are checked, meanings are not yet. */
export interface WantedMessage {
  readonly template: string;
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
  readonly data: Readonly<Record<string, unknown>>;
  readonly locale?: string | undefined;
  readonly reference?: string | undefined;
  readonly labels?: Readonly<Record<string, string>> | undefined;
}

export interface Accepted {
  readonly message: MessageRow;
  readonly deliveries: readonly DeliveryRow[];
  /** The same request had been accepted before. */
  readonly repeated: boolean;
}

/** What the configuration says of a space's mails. */
export interface SpaceRules {
  readonly sender?: string | undefined;
  readonly replyTo?: string | undefined;
  readonly senderDomains: readonly string[];
  readonly archive?: string | undefined;
  readonly operator?: string | undefined;
}

export interface AcceptOptions {
  readonly store: Store;
  readonly editions: Editions;
  readonly clock: Clock;
  /** Senders of the spaces, as configured; the mail folder's is used where there is none. */
  readonly spaces: ReadonlyMap<string, SpaceRules>;
  /** All attachments of a message together, in bytes. */
  readonly attachmentBytes: number;
  readonly maxRecipients: number;
  /** Called when something is due. */
  readonly wake: () => void;
}

/** @param builtIn whether a template of the service's own is meant */
export type Accept = (space: string, wanted: WantedMessage, idempotencyKey: string | undefined, builtIn?: boolean) => Promise<Accepted>;

/** Takes messages: checks everything that could go wrong later, then writes them durably. */
export function acceptor(options: AcceptOptions): Accept {
  const { store, editions, clock } = options;
  return async (space, wanted, idempotencyKey, builtIn = false) => {
    const bodyHash = createHash('sha256').update(JSON.stringify(wanted)).digest('hex');
    const earlier = idempotencyKey === undefined ? undefined : store.messages.underKey(space, idempotencyKey);
    if (earlier !== undefined) return repeated(store, space, earlier, bodyHash);

    const now = clock.now();
    const { keep, ...made } = prepareMessage(options, space, wanted, now, builtIn);
    const idempotency = idempotencyKey === undefined ? undefined : { key: idempotencyKey, bodyHash };
    const again = await store.group.write(() => {
      // Two requests with one key may have come at the same time: the second finds the first here.
      const found = idempotencyKey === undefined ? undefined : store.messages.underKey(space, idempotencyKey);
      if (found === undefined) store.messages.insert({ ...made, attachments: keep(), idempotency });
      return found;
    });
    if (again !== undefined) return repeated(store, space, again, bodyHash);
    options.wake();
    return { ...made, repeated: false };
  };

  function prepareMessage(
    { spaces, maxRecipients, attachmentBytes }: AcceptOptions,
    space: string,
    wanted: WantedMessage,
    now: number,
    builtIn: boolean,
  ): { message: MessageRow; deliveries: DeliveryRow[]; keep: () => NewMessage['attachments'] } {
    const rules: SpaceRules = spaces.get(space) ?? { senderDomains: [] };
    const edition = builtIn ? editions.get(space, BUILT_IN) : editions.current(space);
    if (edition === undefined) {
      throw new Refusal(409, 'nothing-published', 'Nothing is published in this space', {
        detail: `The space "${space}" has no edition yet.`,
        hint: 'Set its mailFolder in verbalis.yaml and start the service again.',
      });
    }
    const problems: RequestProblem[] = [];
    const to = recipients(wanted.to, 'to', maxRecipients, problems);
    const cc = recipients(wanted.cc ?? [], 'cc', maxRecipients, problems);
    const bcc = recipients(wanted.bcc ?? [], 'bcc', maxRecipients, problems);
    const replyTo = recipients(wanted.replyTo ?? (rules.replyTo === undefined ? [] : [rules.replyTo]), 'replyTo', 10, problems);
    const files = attachmentsOf(wanted.attachments ?? [], { store, edition, space, most: attachmentBytes, now }, problems);
    const template = edition.templates.get(wanted.template);
    if (template === undefined) {
      problems.push({
        path: 'template',
        message: `there is no template "${wanted.template}" in edition ${edition.number}`,
        hint: didYouMean(wanted.template, edition.templates.keys()),
      });
      throw invalid(problems);
    }
    for (const fault of template.files.checkData(wanted.data)) {
      problems.push({ path: fault.path === '' ? 'data' : `data.${fault.path}`, message: fault.message, hint: fault.hint });
    }
    if (problems.length > 0) throw invalid(problems);
    const ready = template.render(wanted.locale);
    if (ready === undefined)
      throw new Refusal(409, 'template-broken', 'This template has errors', {
        detail: `The template "${wanted.template}" cannot be rendered.`,
        hint: 'Run verbalis check on its mail folder.',
      });
    let subject: string;
    try {
      // Rendered here once to find out what only the data can bring about; a mail that cannot be made is not accepted.
      subject = ready.renderer({ data: wanted.data, now, mail: { space } }).subject;
    } catch (error) {
      if (!(error instanceof RenderFault)) throw error;
      throw invalid([{ path: 'data', message: `${error.message} (${error.at})`, hint: error.hint }]);
    }
    if (subject === '')
      throw invalid([{ path: 'data', message: 'the subject comes out empty', hint: 'Look at the subject of the template.' }]);
    const sender = senderOf(builtIn ? (editions.current(space) ?? edition) : edition, template, rules, wanted.from);
    const more = moreOf(store, space, wanted, { cc, replyTo: replyTo.length > 0 ? replyTo : replyToOf(template) });
    const id = newId('m', now);
    const message: MessageRow = {
      id,
      space,
      edition: edition.number,
      template: wanted.template,
      locale: ready.program.locale,
      topic: template.compiled.topic ?? null,
      subject,
      sender: stored(sender),
      to: to.map(stored),
      more,
      reference: wanted.reference ?? null,
      labels: { ...wanted.labels },
      data: wanted.data,
      headerId: `${id}@${sender.domain}`,
      createdAt: now,
    };
    const archive = rules.archive === undefined ? [] : recipients([rules.archive], 'archive', 1, []);
    const all = [...new Map([...to, ...cc, ...bcc, ...archive].map((one) => [addressText(one), one])).values()];
    if (all.length > maxRecipients + archive.length)
      throw invalid([{ path: 'to', message: `names ${all.length} recipients in all, more than ${maxRecipients}` }]);
    const deliveries = all.map((one): DeliveryRow => ({
      id: newId('d', now),
      messageId: id,
      space,
      address: addressText(one),
      state: 'queued',
      cause: null,
      attempts: 0,
      createdAt: now,
      nextAttemptAt: now,
      leaseUntil: null,
    }));
    return { message, deliveries, keep: () => files.keep(id) };
  }
}

function stored(one: Mailbox): { name: string; address: string } {
  return { name: one.name, address: addressText(one) };
}

function repeated(store: Store, space: string, earlier: { bodyHash: string; messageId: string }, bodyHash: string): Accepted {
  if (earlier.bodyHash !== bodyHash) {
    throw new Refusal(409, 'idempotency-conflict', 'This idempotency key was used for another request', {
      detail: `The key stands for the message ${earlier.messageId}, which was asked for with another body.`,
      hint: 'Use a new key for a new message, and the same body with the same key.',
    });
  }
  const message = store.messages.find(space, earlier.messageId);
  if (message === undefined) throw new Refusal(410, 'message-gone', 'The message of this idempotency key is no longer kept');
  return { message, deliveries: store.messages.deliveriesOf([message.id]), repeated: true };
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

function replyToOf(template: ReadyTemplate): Mailbox[] {
  const parsed = template.compiled.replyTo === undefined ? undefined : parseMailbox(template.compiled.replyTo);
  return parsed === undefined || isFault(parsed) ? [] : [parsed];
}

/** Who writes: the message's own word within the space's domains, then the template's, the space's, the mail folder's. */
function senderOf(edition: LoadedEdition, template: ReadyTemplate, rules: SpaceRules, asked: WantedMailbox | undefined): Mailbox {
  const written = template.compiled.sender ?? rules.sender ?? edition.project.settings.sender;
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
