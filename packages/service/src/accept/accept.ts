import { createHash } from 'node:crypto';
import { addressText, isFault, parseMailbox, type Mailbox } from '@verbalis/core/mime';
import { didYouMean } from '@verbalis/core/problems';
import { RenderFault } from '@verbalis/core/render';
import type { Clock } from '../clock.js';
import type { Editions, LoadedEdition, ReadyTemplate } from '../editions/index.js';
import { invalid, Refusal, type RequestProblem } from '../refusal.js';
import { newId, type DeliveryRow, type MessageRow, type Store } from '../store/index.js';

/** A message as an app asks for it; shapes are checked, meanings are not yet. */
export interface WantedMessage {
  readonly template: string;
  readonly to: readonly (string | { readonly name?: string | undefined; readonly address: string })[];
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

export interface AcceptOptions {
  readonly store: Store;
  readonly editions: Editions;
  readonly clock: Clock;
  /** Senders of the spaces, as configured; the mail folder's is used where there is none. */
  readonly senders: ReadonlyMap<string, string | undefined>;
  readonly maxRecipients: number;
  /** Called when something is due. */
  readonly wake: () => void;
}

export type Accept = (space: string, wanted: WantedMessage, idempotencyKey: string | undefined) => Promise<Accepted>;

/** Takes messages: checks everything that could go wrong later, then writes them durably. */
export function acceptor(options: AcceptOptions): Accept {
  const { store, editions, clock } = options;
  return async (space, wanted, idempotencyKey) => {
    const bodyHash = createHash('sha256').update(JSON.stringify(wanted)).digest('hex');
    const earlier = idempotencyKey === undefined ? undefined : store.messages.underKey(space, idempotencyKey);
    if (earlier !== undefined) return repeated(store, space, earlier, bodyHash);

    const now = clock.now();
    const made = prepareMessage(options, space, wanted, now);
    const idempotency = idempotencyKey === undefined ? undefined : { key: idempotencyKey, bodyHash };
    const again = await store.group.write(() => {
      // Two requests with one key may have come at the same time: the second finds the first here.
      const found = idempotencyKey === undefined ? undefined : store.messages.underKey(space, idempotencyKey);
      if (found === undefined) store.messages.insert({ ...made, idempotency });
      return found;
    });
    if (again !== undefined) return repeated(store, space, again, bodyHash);
    options.wake();
    return { ...made, repeated: false };
  };

  function prepareMessage(
    { senders, maxRecipients }: AcceptOptions,
    space: string,
    wanted: WantedMessage,
    now: number,
  ): { message: MessageRow; deliveries: DeliveryRow[] } {
    const edition = editions.current(space);
    if (edition === undefined) {
      throw new Refusal(409, 'nothing-published', 'Nothing is published in this space', {
        detail: `The space "${space}" has no edition yet.`,
        hint: 'Set its mailFolder in verbalis.yaml and start the service again.',
      });
    }
    const problems: RequestProblem[] = [];
    const to = recipients(wanted.to, maxRecipients, problems);
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
    const sender = senderOf(edition, template, senders.get(space));
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
      reference: wanted.reference ?? null,
      labels: { ...wanted.labels },
      data: wanted.data,
      headerId: `${id}@${sender.domain}`,
      createdAt: now,
    };
    const deliveries = to.map((one): DeliveryRow => ({
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
    return { message, deliveries };
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

function recipients(wanted: WantedMessage['to'], most: number, problems: RequestProblem[]): Mailbox[] {
  const out: Mailbox[] = [];
  if (wanted.length > most) problems.push({ path: 'to', message: `has ${wanted.length} recipients, more than ${most}` });
  wanted.slice(0, most).forEach((one, i) => {
    const path = `to[${i}]`;
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

function senderOf(edition: LoadedEdition, template: ReadyTemplate, configured: string | undefined): Mailbox {
  const written = template.compiled.sender ?? configured ?? edition.project.settings.sender;
  const parsed = written === undefined ? undefined : parseMailbox(written);
  if (parsed === undefined || isFault(parsed)) {
    throw new Refusal(409, 'no-sender', 'No sender is set', {
      detail:
        parsed === undefined ? 'Neither the space nor the mail folder names a sender.' : `The sender "${written ?? ''}" ${parsed.fault}.`,
      hint: 'Set sender: Name <address> in mail.yaml or for the space in verbalis.yaml.',
    });
  }
  return parsed;
}
