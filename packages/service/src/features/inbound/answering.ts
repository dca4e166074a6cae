import { quoteOf, replySubject, threadOf, type InboundReading } from '@verbalis/core/inbound';
import { escapeHtml } from '@verbalis/core/render';
import { invalid, Refusal, type CallerKey, type Clock, type TraceContext } from '../../kernel/index.js';
import type { Accepted, Acceptor, MessageRequest } from '../messages/index.js';
import type { NewAnswer } from './model.js';
import type { InboundRow } from './queries.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  readonly accept: Acceptor;
  /** Automatic answers that an address gets within a day. */
  readonly automaticPerDay: number;
}

export interface Answering {
  /** @throws Refusal */
  readonly answer: (row: InboundRow, space: string, wanted: NewAnswer, how: AnswerRequest) => Promise<Accepted>;
}

interface AnswerRequest {
  readonly key: CallerKey | undefined;
  readonly idempotencyKey: string | undefined;
  readonly trace: TraceContext | undefined;
}

const DAY_MS = 86_400_000;

function refuse(code: string, detail: string, hint?: string): Refusal {
  return new Refusal(409, code, 'This email cannot be answered', { detail, ...(hint === undefined ? {} : { hint }) });
}

/** Answers what people write: in its thread, by the way of every message. */
export function answering({ store, clock, accept, automaticPerDay }: Options): Answering {
  /** What is asked of the acceptor. */
  function requestOf(row: InboundRow, { quote, ...wanted }: Omit<NewAnswer, 'automatic'>): MessageRequest {
    const { content } = row;
    if (content === null) throw refuse('not-read', 'It has not been read yet, or could not be.', 'See the quarantine.');
    const { replyTo, fromName } = content;
    const to = replyTo ?? (row.from === '' ? undefined : { name: fromName, address: row.from });
    if (to === undefined) throw refuse('no-author', 'It names no address that could be answered.');
    if (wanted.template === undefined && wanted.text === undefined && wanted.html === undefined)
      throw invalid([{ path: 'text', message: 'is missing: an answer has a text, an html or a template' }]);
    const { inReplyTo, references } = threadOf({ ...content, headerId: row.headerId ?? undefined });
    const message = row.messageId === null || row.space === null ? undefined : store.messages.find(row.space, row.messageId);
    const bracketed = (id: string): string => `<${id}>`;
    return {
      ...wanted,
      ...(wanted.template === undefined ? { subject: wanted.subject ?? replySubject(row.subject) } : {}),
      ...(quote ? quoted(row, content, wanted) : {}),
      to: [to],
      reference: wanted.reference ?? message?.reference ?? undefined,
      ...(inReplyTo === undefined ? {} : { inReplyTo: bracketed(inReplyTo) }),
      references: references.map(bracketed),
    };
  }

  return {
    answer(row, space, { automatic, ...wanted }, { key, idempotencyKey, trace }) {
      if (row.space === null)
        throw refuse(
          'no-space',
          'It came to an address of the service as a whole.',
          `Give that address a space: inbound.addresses in verbalis.yaml.`,
        );
      const request = requestOf(row, wanted);
      if (automatic && row.content?.noAnswer !== undefined) throw refuse('no-automatic-answer', row.content.noAnswer);
      const [recipient] = request.to;
      const address = typeof recipient === 'object' ? recipient.address.toLowerCase() : '';
      return accept.one(space, request, {
        key,
        idempotencyKey,
        trace,
        answer: { by: automatic ? 'program' : 'person', replies: true },
        also: (tx, message) => {
          const now = clock.now();
          if (automatic && store.inbound.automaticSince(tx, space, address, now - DAY_MS) >= automaticPerDay)
            throw refuse(
              'answered-enough',
              `${address} has had ${automaticPerDay} automatic answers within a day.`,
              'inbound.automaticPerDay in verbalis.yaml sets how many there may be.',
            );
          store.inbound.addAnswer(tx, { inboundId: row.id, messageId: message.id, space, address, isAutomatic: automatic, at: now });
        },
      });
    },
  };
}

/** Text and HTML with what they answer below. */
function quoted(
  row: InboundRow,
  { text, language }: Pick<InboundReading, 'text' | 'language'>,
  wanted: Pick<NewAnswer, 'text' | 'html'>,
): Pick<MessageRequest, 'text' | 'html'> {
  const from = { name: row.content?.fromName ?? '', address: row.from };
  const quote = quoteOf({ from, text, language }, row.content?.sentAt ?? row.receivedAt);
  const [introduction = ''] = quote.split('\n', 1);
  return {
    ...(wanted.text === undefined ? {} : { text: `${wanted.text.trimEnd()}\n\n${quote}\n` }),
    ...(wanted.html === undefined
      ? {}
      : {
          html: `${wanted.html}<p>${escapeHtml(introduction)}</p><blockquote type="cite">${escapeHtml(text).replaceAll('\n', '<br>')}</blockquote>`,
        }),
  };
}
