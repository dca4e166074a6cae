import { partBytes, partsOf, readMail } from '@verbalis/core/mime';
import type { PhraseBook } from '@verbalis/core/phrases';
import type * as z from 'zod';
import {
  bytesBody,
  content,
  empty,
  endpointsOf,
  instant,
  invalid,
  json,
  jsonBody,
  pageOf,
  Refusal,
  Reply,
  textParams,
  ThreadFault,
  traceOf,
  type Caller,
} from '../../kernel/index.js';
import { sendFrame } from '../mail-view/index.js';
import { IdempotencyHeader, idempotencyKeyOf, messageSummary, MessageSummary } from '../messages/index.js';
import { readIncoming } from '../returns/index.js';
import type { Answering } from './answering.js';
import { detailOf, summaryOf } from './data.js';
import { InboundList, InboundQuery, InboundStored, InboundUpload, InboundView, NewAnswer } from './model.js';
import type { InboundRow } from './queries.js';
import type { InboundWork } from './reading.js';
import type { InboundReceiver } from './receiver.js';
import type { Store } from './store.js';
import { threadAround } from './thread.js';

export interface InboundEndpoints {
  readonly store: Store;
  readonly receiver: InboundReceiver;
  readonly work: Pick<InboundWork, 'shown'>;
  readonly answering: Answering;
  /** What words of reports mean. */
  readonly book: PhraseBook;
  /** The largest upload, in bytes. */
  readonly mostBytes: number;
}

const endpoint = endpointsOf<InboundEndpoints>();
/** The style of an email without styles of its own. */
const PAGE =
  '<!doctype html><meta charset="utf-8"><style>body{font:16px/1.5 sans-serif;margin:16px;overflow-wrap:anywhere;color:#1c2733}img{max-width:100%;height:auto}blockquote{margin:0 0 0 8px;padding-left:12px;border-left:3px solid #ddd8cc}</style>';
const SANDBOX = { 'Content-Security-Policy': "sandbox; default-src 'none'" };

function found({ inbound }: Store, { space, operator }: Caller, id: string): InboundRow {
  const row = inbound.find(id);
  if (row === undefined || (row.space !== space && !(operator && row.space === null)))
    throw new Refusal(404, 'unknown-inbound', 'There is no such email', { detail: `No inbound email "${id}" in the space "${space}".` });
  return row;
}

/** Its bytes. @throws Refusal where they are no longer kept */
function bytesOf(row: InboundRow): Buffer {
  if (row.bytes.length > 0) return row.bytes;
  throw new Refusal(410, 'bytes-gone', 'The email itself is no longer kept', {
    detail: 'Its text is; its bytes and its files were removed.',
    hint: 'How long: keep.mailDays in verbalis.yaml.',
  });
}

/** What is shown instead where the thread was ended. @throws any other error */
function unlessFault(error: unknown, instead: string): string {
  if (error instanceof ThreadFault) return instead;
  throw error;
}

function view(store: Store, row: InboundRow): z.input<typeof InboundView> {
  const answers = store.inbound.answersTo([row.id]);
  return {
    ...summaryOf(row),
    ...detailOf(row),
    hasBytes: row.bytes.length > 0,
    thread: threadAround(store, row),
    answers: answers.map(({ messageId, at, isAutomatic }) => ({ messageId, at: instant(at), automatic: isAutomatic })),
  };
}

const add = endpoint({
  name: 'inbound.add',
  method: 'post',
  path: '/v1/inbound',
  summary: 'Hand in an email as if it had come to an address of ours',
  description:
    'For a mail server of yours that takes email in, and to try what your app does with it. Nothing is known of its authenticity.',
  scope: 'write',
  audited: 'people',
  query: InboundUpload,
  body: bytesBody<InboundEndpoints>(['message/rfc822', 'application/octet-stream'], ({ mostBytes }) => mostBytes),
  answers: { 201: json('Kept.', InboundStored) },
  isRepeatable: true,
  async run({ caller: { space }, query: { to, from }, body }, { receiver, book }) {
    if (body.length === 0)
      throw new Refusal(400, 'empty', 'There is no email in the request', { hint: 'Send the bytes of an email (message/rfc822).' });
    if (receiver.spaceOf(to) !== space)
      throw invalid([
        {
          path: 'to',
          message: `is not an address of this space: "${to}"`,
          hint: 'See inbound.addresses in verbalis.yaml, or take the Reply-To of a message.',
        },
      ]);
    const { reading, fingerprint } = readIncoming(body, { envelopeTo: to, recipient: undefined, book });
    if (reading.kind !== 'other')
      throw new Refusal(422, 'a-return', 'This is not the email of a person', {
        detail: `It is a return: ${reading.kind}.`,
        hint: 'Hand it in with POST /v1/returns.',
      });
    const [kept] = await receiver.keep({
      bytes: body,
      fingerprint,
      envelopeFrom: from,
      to: [to],
      hello: '',
      address: '',
      source: 'upload',
    });
    return kept ?? { id: '', repeated: false };
  },
});

const list = endpoint({
  name: 'inbound.list',
  method: 'get',
  path: '/v1/inbound',
  summary: 'What people have written, newest first',
  scope: 'read',
  query: InboundQuery,
  answers: { 200: json('A page.', InboundList) },
  run({ caller: { space, operator, readsContent }, query: { limit, cursor, inbox, from, message } }, { store }) {
    const rows = store.inbound.list({
      space,
      unowned: operator,
      limit: limit + 1,
      before: cursor,
      inbox,
      from: from?.trim().toLowerCase(),
      messageId: message,
    });
    const page = pageOf(rows, limit, ({ id }) => id);
    const shown = page.rows.map((row) => (readsContent ? summaryOf(row) : { ...summaryOf(row), start: '' }));
    return { inbound: shown, nextCursor: page.nextCursor };
  },
});

const get = endpoint({
  name: 'inbound.get',
  method: 'get',
  path: '/v1/inbound/{id}',
  summary: 'One email, read',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: json('The email.', InboundView) },
  run: ({ caller, params: { id } }, { store }) => view(store, found(store, caller, id)),
});

const remove = endpoint({
  name: 'inbound.remove',
  method: 'delete',
  path: '/v1/inbound/{id}',
  summary: 'Delete one email',
  scope: 'write',
  params: textParams('id'),
  answers: { 204: empty('Deleted.') },
  async run({ caller, params: { id } }, { store }) {
    const row = found(store, caller, id);
    await store.write((tx) => {
      store.inbound.remove(tx, [row.id]);
    });
    return undefined;
  },
});

const html = endpoint({
  name: 'inbound.html',
  method: 'get',
  path: '/v1/inbound/{id}/html',
  summary: 'All of its HTML as a page for a sandboxed frame',
  description: 'Nothing of it runs, and nothing is loaded: pictures that it carries are in the page, others are left out.',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: content('HTML under a policy that lets nothing run.', 'text/html') },
  async run({ caller, params: { id }, response }, { store, work }) {
    const row = found(store, caller, id);
    const kept = row.content?.html ?? '';
    // What takes too long to clean as a whole was read in part, or not at all.
    const whole = row.bytes.length === 0 ? kept : await work.shown(row.bytes).catch((error: unknown) => unlessFault(error, kept));
    sendFrame(response, PAGE + whole, 'own');
    return undefined;
  },
});

const source = endpoint({
  name: 'inbound.source',
  method: 'get',
  path: '/v1/inbound/{id}/source',
  summary: 'Its bytes, as they were received',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: content('The bytes (RFC 5322).', 'message/rfc822') },
  refusals: { 410: 'The email itself is no longer kept.' },
  run({ caller, params: { id } }, { store }) {
    const row = found(store, caller, id);
    return new Reply(bytesOf(row), { headers: { ...SANDBOX, 'Content-Disposition': `attachment; filename="${row.id}.eml"` } });
  },
});

const attachment = endpoint({
  name: 'inbound.attachment',
  method: 'get',
  path: '/v1/inbound/{id}/attachments/{part}',
  summary: 'One file of it',
  description: 'Whatever its type, it is saved and never opened by a browser.',
  scope: 'read',
  showsContent: true,
  params: textParams('id', 'part'),
  answers: { 200: content('Its bytes.', 'application/octet-stream') },
  refusals: { 410: 'The email itself is no longer kept.' },
  run({ caller, params: { id, part: given } }, { store }) {
    const row = found(store, caller, id);
    const file = row.content?.files.find(({ part }) => String(part) === given);
    if (file === undefined)
      throw new Refusal(404, 'unknown-attachment', 'There is no such file', { detail: `The email "${row.id}" has no file ${given}.` });
    const part = [...partsOf(readMail(bytesOf(row)))][file.part];
    const name = encodeURIComponent(file.name).replace(/'/g, '%27');
    return new Reply(Buffer.from(part === undefined ? [] : partBytes(part)), {
      headers: { ...SANDBOX, 'Content-Type': 'application/octet-stream', 'Content-Disposition': `attachment; filename*=UTF-8''${name}` },
    });
  },
});

const reply = endpoint({
  name: 'inbound.reply',
  method: 'post',
  path: '/v1/inbound/{id}/reply',
  summary: 'Answer it, in its thread',
  description: 'A message like any other, to its author; answers to it come back here.',
  scope: 'send',
  params: textParams('id'),
  headers: IdempotencyHeader,
  body: jsonBody(NewAnswer),
  answers: { 202: { ...json('Accepted.', MessageSummary), headers: { Location: 'The address of the message.' } } },
  refusals: { 409: 'It cannot be answered, or not automatically; or the idempotency key was used for another request.' },
  isRepeatable: true,
  async run({ caller, params: { id }, body, headers, request }, { store, answering }) {
    const row = found(store, caller, id);
    const { message, deliveries } = await answering.answer(row, caller.space, body, {
      key: caller.key,
      idempotencyKey: idempotencyKeyOf(headers),
      trace: traceOf(request.headers),
    });
    return new Reply(messageSummary(message, deliveries), { headers: { Location: `/v1/messages/${message.id}` } });
  },
});

/** What people write to us: listed, looked at, answered. */
export const inboundEndpoints = [add, list, get, remove, html, source, attachment, reply];
