import { emailsIn } from '@verbalis/core/returns';
import type * as z from 'zod';
import {
  bytesBody,
  content,
  endpointsOf,
  instant,
  invalid,
  json,
  jsonBody,
  pageOf,
  Refusal,
  Reply,
  textParams,
  type Caller,
} from '../../kernel/index.js';
import type { ReturnIntake } from './intake.js';
import { ReturnList, ReturnMatch, ReturnQuery, ReturnsStored, ReturnUpload, ReturnView } from './model.js';
import type { ReturnRow } from './queries.js';
import type { Store } from './store.js';

export interface ReturnEndpoints {
  readonly store: Store;
  readonly intake: ReturnIntake;
  /** The largest upload, in bytes. */
  readonly mostBytes: number;
}

const endpoint = endpointsOf<ReturnEndpoints>();

function view(store: Store, row: ReturnRow): z.input<typeof ReturnView> {
  const { from, subject, originalMessageId, feedbackType, about = [], problem, recipients } = row.readout;
  return {
    id: row.id,
    receivedAt: instant(row.receivedAt),
    source: row.source,
    provider: row.provider ?? undefined,
    kind: row.kind,
    matched: row.deliveryId !== null,
    deliveryId: row.deliveryId ?? undefined,
    messageId: row.deliveryId === null ? undefined : store.deliveries.find(row.deliveryId)?.messageId,
    from,
    subject,
    envelopeTo: row.envelopeTo === '' ? undefined : row.envelopeTo,
    originalMessageId,
    feedbackType,
    about: recipients.length > 0 || about.length === 0 ? undefined : [...about],
    problem,
    recipients: [...recipients],
  };
}

function found(store: Store, { space, operator }: Caller, id: string): ReturnRow {
  const row = store.returns.find(id);
  if (row === undefined || (row.space !== space && !(operator && row.space === null)))
    throw new Refusal(404, 'unknown-return', 'There is no such return', { detail: `No return "${id}" in the space "${space}".` });
  return row;
}

const add = endpoint({
  name: 'returns.add',
  method: 'post',
  path: '/v1/returns',
  summary: 'Upload returned mail: one email, or an mbox file',
  description: 'The same email twice is stored once.',
  scope: 'write',
  audited: 'people',
  query: ReturnUpload,
  body: bytesBody<ReturnEndpoints>(['message/rfc822', 'application/mbox', 'application/octet-stream'], ({ mostBytes }) => mostBytes),
  answers: { 201: json('What was read out of each.', ReturnsStored) },
  isRepeatable: true,
  async run({ caller: { space }, query: { envelopeTo }, body }, { intake }) {
    if (body.length === 0)
      throw new Refusal(400, 'empty', 'There is no email in the request', {
        hint: 'Send the bytes of an email (message/rfc822) or of an mbox file (application/mbox).',
      });
    const returns = [];
    for (const bytes of emailsIn(body))
      returns.push(await intake.receive({ bytes, source: 'upload', envelopeFrom: '', envelopeTo, space }));
    return { returns };
  },
});

const list = endpoint({
  name: 'returns.list',
  method: 'get',
  path: '/v1/returns',
  summary: 'Returns, newest first',
  scope: 'read',
  query: ReturnQuery,
  answers: { 200: json('A page.', ReturnList) },
  run({ caller: { space, operator }, query: { limit, cursor, kind, matched, message } }, { store }) {
    const isMatched = matched === undefined ? undefined : matched === 'yes';
    const rows = store.returns.list({
      space,
      unowned: operator,
      limit: limit + 1,
      before: cursor,
      kind,
      matched: isMatched,
      messageId: message,
    });
    const page = pageOf(rows, limit, (row) => row.id);
    return { returns: page.rows.map((row) => view(store, row)), nextCursor: page.nextCursor };
  },
});

const get = endpoint({
  name: 'returns.get',
  method: 'get',
  path: '/v1/returns/{id}',
  summary: 'One return with what was read out of it',
  scope: 'read',
  params: textParams('id'),
  answers: { 200: json('The return.', ReturnView) },
  run: ({ caller, params: { id } }, { store }) => view(store, found(store, caller, id)),
});

const source = endpoint({
  name: 'returns.source',
  method: 'get',
  path: '/v1/returns/{id}/source',
  summary: 'Its bytes as they were received: an email, or the event of a callback in JSON',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: content('The bytes.', 'message/rfc822') },
  refusals: { 410: 'Its bytes are not kept.' },
  run({ caller, params: { id } }, { store }) {
    const { id: name, source: from, bytes } = found(store, caller, id);
    if (bytes.length === 0)
      throw new Refusal(410, 'source-gone', 'Its bytes are not kept', {
        detail: 'It was about an email with sensitive data, or its time was over; what was read out of it is kept.',
      });
    const [type, ending] = from === 'callback' ? ['application/json', 'json'] : ['message/rfc822', 'eml'];
    return new Reply(bytes, { headers: { 'Content-Type': type, 'Content-Disposition': `attachment; filename="${name}.${ending}"` } });
  },
});

const match = endpoint({
  name: 'returns.match',
  method: 'post',
  path: '/v1/returns/{id}/match',
  summary: 'Match a return to its delivery by hand',
  scope: 'write',
  params: textParams('id'),
  body: jsonBody(ReturnMatch),
  answers: { 200: json('The return.', ReturnView) },
  refusals: { 409: 'The return has a delivery already.' },
  async run({ caller, params: { id }, body: { deliveryId } }, { store, intake }) {
    const row = found(store, caller, id);
    const delivery = store.deliveries.find(deliveryId);
    if (delivery?.space !== caller.space)
      throw invalid([{ path: 'deliveryId', message: `names no delivery of this space: "${deliveryId}"` }]);
    if (row.deliveryId !== null)
      throw new Refusal(409, 'matched-already', 'This return has its delivery', { detail: `It is about the delivery ${row.deliveryId}.` });
    await intake.match(row, delivery);
    return view(store, store.returns.find(row.id) ?? row);
  },
});

/** What came back: uploaded, listed, matched by hand. */
export const returnEndpoints = [add, list, get, source, match];
