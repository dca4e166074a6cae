import { addressText, fieldOf, isFault, parseAddress, parseMailbox, type Mailbox } from '@verbalis/core/mime';
import { Refusal, type CallerKey, type RequestProblem, type Reader, type TraceContext, type Tx, newId } from '../../kernel/index.js';
import { BARE_MESSAGE, type DeliveryRow, type MessageRow } from './tables.js';
import { spend } from '../keys/index.js';
import type { SensitiveData } from '../sensitive-data/index.js';
import { NO_RULES } from '../spaces/index.js';
import { stored } from './people.js';
import {
  deliveryOf,
  editionsOf,
  marked,
  prepareMessage,
  type PrepareOptions,
  type Prepared,
  type SpaceEditions,
  type AnswerTo,
  type ToPrepare,
} from './prepare.js';
import { capturedAuthor, ownAuthor } from './authors.js';
import { keptUntil } from './keeping.js';
import { refuseBeyond } from './key-bounds.js';
import { labelsOf, type Submission } from './submitted.js';
import { requestHashes } from './request-hash.js';
import { refuseUnconfirmed } from './unconfirmed.js';
import { refuseUnleavable, refuseUnsigned } from './unsigned.js';
import { RunawayGuard } from './runaway.js';
import { laterOf } from './timing.js';
import type { MessageRequest } from './model.js';

export interface Accepted {
  readonly message: MessageRow;
  readonly deliveries: readonly DeliveryRow[];
  /** The same request had been accepted before. */
  readonly repeated: boolean;
}

export interface AcceptOptions extends PrepareOptions {
  readonly sensitive: SensitiveData;
  /** Why a delivery must not be sent, in a sentence. */
  readonly suppressionFor: (delivery: DeliveryRow, from: Reader) => string | undefined;
  /** Called when something is due. */
  readonly wake: () => void;
}

/** The result of one entry of a batch. */
export type BatchResult =
  | { readonly index: number; readonly message: MessageRow; readonly deliveries: readonly DeliveryRow[] }
  | { readonly index: number; readonly problems: readonly RequestProblem[] };

/** How one message is accepted. */
export interface AcceptOne {
  readonly idempotencyKey?: string | undefined;
  /** Whether the template is one of the service's own. */
  readonly isBuiltIn?: boolean;
  /** Only its recipients may read it, no copy is archived, and its content is removed after so long, in milliseconds. */
  readonly sealedMs?: number;
  /** The key that asks for it. */
  readonly key?: CallerKey | undefined;
  /** The trace that the request belongs to. */
  readonly trace?: TraceContext | undefined;
  /** Of an answer to inbound mail. */
  readonly answer?: AnswerTo | undefined;
  /** What is written with it: both, or nothing. */
  readonly also?: ((tx: Tx, message: MessageRow) => void) | undefined;
}

/** How a prepared message is written. */
interface WriteOne extends Pick<AcceptOne, 'isBuiltIn' | 'key'> {
  /** What was asked for, and the key that it was asked for with. */
  readonly request: { readonly key: string | undefined; readonly body: MessageRequest };
}

/** Accepts messages: checks everything that could go wrong later, then writes them durably. */
export interface Acceptor {
  readonly one: (space: string, wanted: MessageRequest, how?: AcceptOne) => Promise<Accepted>;
  /** Looks at a message without accepting it. @throws Refusal that names all that is wrong */
  readonly check: (space: string, wanted: MessageRequest, key?: CallerKey) => Promise<void>;
  /**
   * Many at once, in one transaction. `all`: none is taken unless all can be. `each`: what can be taken is. `check`: none, only looked at.
   * The key stands for the whole batch.
   */
  readonly batch: (
    space: string,
    wanted: readonly MessageRequest[],
    how: Pick<AcceptOne, 'idempotencyKey' | 'key' | 'trace'> & {
      readonly mode: 'all' | 'each' | 'check';
      /** What is written with them: all of it, or nothing. By their place in the batch: what was taken, and why others were not. */
      readonly also?: (tx: Tx, taken: ReadonlyMap<number, MessageRow>, refused: ReadonlyMap<number, readonly RequestProblem[]>) => void;
    },
  ) => Promise<BatchResult[]>;
  /** When a message that was accepted is to go instead; in milliseconds since the epoch. */
  readonly later: (message: MessageRow, wanted: { notBefore: string; timeZone?: string | undefined }) => Promise<number>;
  /** An email that came in as a whole, to the recipients of its envelope. */
  readonly raw: (space: string, submitted: Submission) => Promise<MessageRow>;
}

export function acceptor(options: AcceptOptions): Acceptor {
  const { store, clock, editions, spaces, wake, suppressionFor, sensitive } = options;
  const guard = new RunawayGuard(store.messages, spaces);
  const hashes = requestHashes(sensitive);

  /** What is wanted can be sent, and its key may send it. @throws Refusal that names all that is wrong */
  const prepare = (own: SpaceEditions, wanted: ToPrepare, key: CallerKey | undefined): Prepared => {
    const made = prepareMessage(options, own, wanted);
    const { message, recipients } = made;
    const { template } = wanted.wanted;
    refuseBeyond(key, { template, topic: message.topic ?? undefined, sender: message.sender.address, recipients });
    return made;
  };

  /** The rows of a prepared message. */
  const write = (tx: Tx, { message, deliveries, keep, recipients, secret }: Prepared, { request, isBuiltIn, key }: WriteOne): void => {
    if (key !== undefined) spend(tx, key, recipients.length, message.createdAt);
    if (secret !== undefined) sensitive.keep(tx, message.id, secret, message.createdAt);
    const bodyHash = (): string => hashes.of(request.body, secret !== undefined, message.createdAt);
    const idempotency = request.key === undefined ? undefined : { key: request.key, bodyHash: bodyHash() };
    store.messages.insert(tx, { message, deliveries, attachments: keep(tx), idempotency });
    withholdSome(tx, { message, deliveries, isBuiltIn });
  };

  /** What must not be sent ends here; the app sees it in the answer. Within the transaction that writes the message. */
  const withholdSome = (tx: Tx, made: { message: MessageRow; deliveries: DeliveryRow[]; isBuiltIn?: boolean | undefined }): void => {
    const now = made.message.createdAt;
    const isSuppressed = new Set<string>();
    made.deliveries.forEach((row, i) => {
      const reason = suppressionFor(row, tx);
      if (reason === undefined) return;
      isSuppressed.add(row.id);
      store.deliveries.withhold(tx, row, { reason }, now);
      made.deliveries[i] = { ...row, state: 'withheld', nextAttemptAt: null };
    });
    // What the service writes itself is bounded by itself.
    if (made.isBuiltIn === true) return;
    const free = made.deliveries.filter(({ id }) => !isSuppressed.has(id));
    const refusalOf = guard.refusals(tx, made.message, free);
    made.deliveries.forEach((row, i) => {
      const reason = isSuppressed.has(row.id) ? undefined : refusalOf(row);
      if (reason === undefined) return;
      store.deliveries.withhold(tx, row, { reason, cause: 'rate' }, now);
      made.deliveries[i] = { ...row, state: 'withheld', cause: 'rate', nextAttemptAt: null };
    });
  };

  return {
    async one(space, wanted, { idempotencyKey, isBuiltIn = false, sealedMs, key, trace, answer, also } = {}) {
      const earlier = idempotencyKey === undefined ? undefined : store.messages.underKey(space, idempotencyKey);
      if (earlier !== undefined) return repeated(space, earlier, wanted);
      const made = prepare(await editionsOf(editions, space), { space, wanted, now: clock.now(), isBuiltIn, sealedMs, trace, answer }, key);
      const again = await store.write((tx) => {
        // Two requests with one key may have come at the same time: the second finds the first here.
        const found = idempotencyKey === undefined ? undefined : store.messages.underKey(space, idempotencyKey, tx);
        if (found === undefined) {
          write(tx, made, { request: { key: idempotencyKey, body: wanted }, isBuiltIn, key });
          also?.(tx, made.message);
        }
        tx.afterCommit(wake);
        return found;
      });
      if (again !== undefined) return repeated(space, again, wanted);
      return { message: made.message, deliveries: made.deliveries, repeated: false };
    },

    async check(space, wanted, key) {
      prepare(await editionsOf(editions, space), { space, wanted, now: clock.now(), isBuiltIn: false }, key);
    },

    async batch(space, wanted, { mode, idempotencyKey, key: caller, trace, also }) {
      const now = clock.now();
      const keyOf = (index: number): string | undefined => (idempotencyKey === undefined ? undefined : `${idempotencyKey}#${index}`);
      const own = await editionsOf(editions, space);
      const results: BatchResult[] = [];
      const fresh: { made: Prepared; request: MessageRequest; index: number }[] = [];
      wanted.forEach((request, index) => {
        const key = keyOf(index);
        const earlier = key === undefined ? undefined : store.messages.underKey(space, key);
        try {
          if (earlier !== undefined) results[index] = entry(index, () => repeated(space, earlier, request));
          else fresh.push({ made: prepare(own, { space, wanted: request, now, isBuiltIn: false, trace }, caller), request, index });
        } catch (error) {
          results[index] = refused(index, error);
        }
      });
      if (mode === 'check') return results.filter(Boolean);
      if (mode === 'all' && results.some((result) => 'problems' in result)) return results;
      const again = await store.write((tx) => {
        const found = new Map<number, { bodyHash: string; messageId: string }>();
        for (const { made, request, index } of fresh) {
          const key = keyOf(index);
          // The same batch may have come twice at the same time: the second finds what the first has written, entry by entry.
          const earlier = key === undefined ? undefined : store.messages.underKey(space, key, tx);
          if (earlier !== undefined) {
            // Where all or none is wanted, one entry with another body refuses the whole batch: nothing of it is written.
            if (mode === 'all') refuseOther(earlier, request);
            found.set(index, earlier);
          } else write(tx, made, { request: { key, body: request }, key: caller });
        }
        also?.(
          tx,
          new Map(fresh.flatMap(({ made, index }) => (found.has(index) ? [] : [[index, made.message] as const]))),
          new Map(results.flatMap((result) => ('problems' in result ? [[result.index, result.problems] as const] : []))),
        );
        tx.afterCommit(wake);
        return found;
      });
      for (const { made, request, index } of fresh) {
        const earlier = again.get(index);
        results[index] = entry(index, () => (earlier === undefined ? made : repeated(space, earlier, request)));
      }
      return results;
    },

    async later(message, wanted) {
      const edition = (await editions.get(message.space, message.edition)) ?? (await editions.current(message.space));
      if (edition === undefined) throw new Refusal(410, 'edition-gone', 'The edition of this message is no longer kept');
      return laterOf(wanted, edition, clock.now());
    },

    async raw(space, { to, bytes, fields, repairs, repaired, fault, isFromNobody, trace, key }) {
      const now = clock.now();
      const rules = spaces.get(space) ?? NO_RULES;
      const current = await editions.current(space);
      const { sender: usualSender, topics = {} } = current?.project.settings ?? {};
      const usual = parseMailbox(rules.sender ?? usualSender ?? '');
      const allowed = {
        domains: [...(isFault(usual) ? [] : [usual.domain]), ...rules.senderDomains],
        isAdded: (mailbox: Mailbox) => options.senders.find(space, addressText(mailbox)) !== undefined,
      };
      // A space that captures takes whatever an app makes: that is what it is looked at for.
      const isCaptured = rules.mode === 'capture';
      const mail = { fields };
      const from = isCaptured ? capturedAuthor(mail) : ownAuthor(mail, allowed);
      if (fault !== undefined && !isCaptured)
        throw new Refusal(422, 'cannot-travel', 'The email cannot be sent in this form', { detail: `It ${fault}.` });
      const own = labelsOf(fields, Object.keys(topics));
      const recipients = envelopeRecipients(to);
      // What such an email says of its template is a label: its content is the app's.
      refuseBeyond(key, { template: undefined, topic: own.topic, sender: addressText(from), recipients: [...recipients.keys()] });
      const topic = topics[own.topic ?? ''];
      refuseUnleavable({ canLeave: options.canLeave, mode: rules.mode, topic, name: own.topic });
      refuseUnconfirmed(options.senders, rules, { space, sender: from });
      refuseUnsigned(options, { space, domain: from.domain, topic, isAllowed: rules.unsigned });
      const id = newId('m', now);
      const given = /<([\x21-\x3B\x3D\x3F-\x7E]{1,900})>/.exec(fieldOf(mail, 'message-id') ?? '')?.[1];
      const content = store.contents;
      const message: MessageRow = {
        ...BARE_MESSAGE,
        id,
        space,
        edition: current?.number ?? 0,
        template: own.template ?? '',
        topic: own.topic ?? null,
        reference: own.reference ?? null,
        labels: own.labels,
        locale: 'und',
        subject: marked(fieldOf(mail, 'subject') ?? '', rules),
        sender: stored(from),
        to: [...recipients.keys()].map((address) => ({ name: '', address })),
        headerId: given ?? `${id}@${from.domain}`,
        createdAt: now,
        ...keptUntil(topic, now),
      };
      const request = {
        topic: own.topic,
        urgent: topic?.purpose !== 'optional',
        nextAttemptAt: now,
        expiresAt: topic?.lifetimeSeconds === undefined ? null : now + topic.lifetimeSeconds * 1000,
        rules,
      };
      const deliveries = [...recipients.values()].map((mailbox) => deliveryOf(message, mailbox, request));
      const more = {
        trace,
        ...(isFromNobody ? { isFromNobody } : {}),
        ...(topic?.replies === true && !isCaptured ? { replies: true } : {}),
        // What is captured stays as it came.
        ...(isCaptured || repairs.length === 0 ? {} : { repairs }),
      };
      await store.write((tx) => {
        if (key !== undefined) spend(tx, key, deliveries.length, now);
        const raw = content.keep(tx, isCaptured ? bytes : (repaired ?? bytes), now).id;
        store.messages.insert(tx, { message: { ...message, more: { raw, ...more } }, deliveries, idempotency: undefined });
        withholdSome(tx, { message, deliveries });
        tx.afterCommit(wake);
      });
      return message;
    },
  };

  function refused(index: number, error: unknown): BatchResult {
    if (!(error instanceof Refusal)) throw error;
    return { index, problems: error.more.problems ?? [{ path: '', message: error.message, hint: error.more.hint }] };
  }

  function entry(index: number, result: () => { message: MessageRow; deliveries: readonly DeliveryRow[] }): BatchResult {
    try {
      const { message, deliveries } = result();
      return { index, message, deliveries };
    } catch (error) {
      return refused(index, error);
    }
  }

  function refuseOther(earlier: { bodyHash: string; messageId: string }, wanted: MessageRequest): void {
    if (!hashes.isOf(earlier.bodyHash, wanted)) {
      throw new Refusal(409, 'idempotency-conflict', 'This idempotency key was used for another request', {
        detail: `The key belongs to the message ${earlier.messageId}, which was asked for with another body.`,
        hint: 'Use a new key for a new message, and the same body with the same key.',
      });
    }
  }

  function repeated(space: string, earlier: { bodyHash: string; messageId: string }, wanted: MessageRequest): Accepted {
    refuseOther(earlier, wanted);
    const message = store.messages.find(space, earlier.messageId);
    if (message === undefined) throw new Refusal(410, 'message-gone', 'The message of this idempotency key is no longer kept');
    return { message, deliveries: store.messages.deliveriesOf([message.id]), repeated: true };
  }
}

/** The recipients of an envelope, each once. @throws Refusal */
function envelopeRecipients(to: readonly string[]): Map<string, Mailbox> {
  return new Map(
    to.map((text) => {
      const address = parseAddress(text);
      if (isFault(address))
        throw new Refusal(422, 'no-recipient', 'A recipient is not an address', { detail: `"${text}" ${address.fault}.` });
      return [addressText(address), { ...address, name: '' }];
    }),
  );
}
