import { parseItem, type BareItem } from 'structured-headers';
import * as z from 'zod';
import {
  endpointsOf,
  invalid,
  json,
  jsonBody,
  Refusal,
  Reply,
  faultsOf,
  textParams,
  traceOf,
  type Clock,
  type RequestProblem,
  type Tx,
} from '../../kernel/index.js';
import type { Acceptor, BatchResult } from './accept.js';
import { found, readingEndpoints, type ReadingEndpoints } from './reading-endpoints.js';
import type { MessageMetrics } from './metrics.js';
import {
  BatchView,
  ChangeView,
  ListQuery,
  MessageList,
  MessageSummary,
  MessageView,
  NewBatch,
  NewMessage,
  Rescheduling,
  type MessageRequest,
} from './model.js';
import type { Store } from './store.js';
import type { MessageRow } from './tables.js';
import { deliveryView, messageFields, messageSummary, type ViewSources } from './views.js';

export interface MessageEndpoints extends ReadingEndpoints {
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly metrics: MessageMetrics;
  /** Called when something may be due. */
  readonly wake: () => void;
  readonly waitsFor: ViewSources['waitsFor'];
}

const endpoint = endpointsOf<MessageEndpoints>();

const IDEMPOTENCY_KEY = /^[\x21-\x7E]{1,200}$/;
export const IdempotencyHeader = z.object({
  'idempotency-key': z
    .string()
    .optional()
    .meta({ description: 'Names the request: sent again with the same key, it is accepted once. A string of RFC 9651, or bare.' }),
});

/** The idempotency key of a request: quoted (RFC 9651, section 3.3.3) and bare are the same key. @throws Refusal */
export function idempotencyKeyOf({ 'idempotency-key': given }: z.output<typeof IdempotencyHeader>): string | undefined {
  if (given === undefined) return undefined;
  let key: BareItem = given;
  if (given.startsWith('"')) {
    try {
      [key] = parseItem(given);
    } catch {
      key = '';
    }
  }
  if (typeof key !== 'string' || !IDEMPOTENCY_KEY.test(key))
    throw new Refusal(400, 'idempotency-key', 'The idempotency key is not valid', {
      detail: 'It must have 1 to 200 visible ASCII characters, in double quotes or bare.',
    });
  return key;
}

function attachmentsOf({ contents }: Store, row: MessageRow) {
  const rows = contents.attachments(row);
  if (rows.length === 0) return undefined;
  return rows.map(({ name, type, contentId }) => ({
    name,
    type,
    size: contentId === null ? undefined : contents.find(contentId)?.size,
  }));
}

function sensitiveState({ boxes }: Store, { id, more }: MessageRow): 'kept' | 'removed' | undefined {
  if (more.sensitive !== true) return undefined;
  return boxes.find(id) === undefined ? 'removed' : 'kept';
}

/** Does something with each delivery of a message that no worker has yet. */
function change({ messages }: Store, tx: Tx, row: MessageRow, run: (deliveryId: string) => boolean): z.input<typeof ChangeView> {
  const ids = messages.deliveriesOf([row.id], tx).map((delivery) => delivery.id);
  const changed = ids.filter(run);
  return { changed, late: ids.filter((id) => !changed.includes(id)) };
}

const send = endpoint({
  name: 'messages.send',
  method: 'post',
  path: '/v1/messages',
  summary: 'Accept a message',
  description: '202 means that it is on the disk and ends in one state for each recipient.',
  scope: 'send',
  audited: 'people',
  headers: IdempotencyHeader,
  body: jsonBody(NewMessage),
  answers: { 202: { ...json('Accepted.', MessageSummary), headers: { Location: 'The address of the message.' } } },
  refusals: { 409: 'The idempotency key was used for another request, or nothing is published in the space.' },
  isRepeatable: true,
  check: ({ caller, body }, { accept }) => accept.check(caller.space, body, caller.key),
  async run({ caller: { space, key }, request, headers, body }, { accept, metrics }) {
    const ended = metrics.acceptance.startTimer();
    const { message, deliveries } = await accept.one(space, body, {
      idempotencyKey: idempotencyKeyOf(headers),
      key,
      trace: traceOf(request.headers),
    });
    ended();
    metrics.accepted(space);
    return new Reply(messageSummary(message, deliveries), { headers: { Location: `/v1/messages/${message.id}` } });
  },
});

const sendBatch = endpoint({
  name: 'messages.sendBatch',
  method: 'post',
  path: '/v1/messages/batch',
  summary: 'Accept up to 1,000 messages',
  description: 'The idempotency key is that of the batch: an entry that was accepted under it is not accepted again.',
  scope: 'send',
  audited: 'people',
  headers: IdempotencyHeader,
  body: jsonBody(NewBatch),
  answers: {
    202: json('The result of each entry.', BatchView),
    200: json('In the mode `each`: none could be accepted.', BatchView),
  },
  refusals: { 409: 'The idempotency key was used for another batch.' },
  isRepeatable: true,
  async run({ caller: { space, key }, request, headers, body: { template, mode, messages } }, { accept, metrics }) {
    const entries = messages.map(
      (entry, index): { index: number; message: MessageRequest } | { index: number; problems: RequestProblem[] } => {
        const read = NewMessage.safeParse(template === undefined || 'template' in entry ? entry : { template, ...entry });
        return read.success ? { index, message: read.data } : { index, problems: faultsOf(read.error, NewMessage) };
      },
    );
    const good = entries.flatMap((entry) => ('message' in entry ? [entry] : []));
    const bad = entries.flatMap((entry) => ('problems' in entry ? [entry] : []));
    const results = await accept.batch(
      space,
      good.map(({ message }) => message),
      {
        mode: mode === 'all' && bad.length > 0 ? 'check' : mode,
        idempotencyKey: idempotencyKeyOf(headers),
        key,
        trace: traceOf(request.headers),
      },
    );
    const placed = results.map((result) => entryView(result, good[result.index]?.index ?? result.index));
    const all = [...bad, ...placed].sort((a, b) => a.index - b.index);
    const accepted = all.filter((result) => 'id' in result).length;
    if (mode === 'all' && accepted < all.length) throw invalid(all.flatMap(faultsOfEntry));
    metrics.accepted(space, accepted);
    return new Reply({ accepted, refused: all.length - accepted, results: all }, { status: accepted > 0 ? 202 : 200 });
  },
});

type EntryView = z.input<typeof BatchView>['results'][number];

function entryView(result: BatchResult, index: number): EntryView {
  return 'message' in result ? { index, id: result.message.id } : { index, problems: [...result.problems] };
}

function faultsOfEntry({ index, problems = [] }: EntryView) {
  return problems.map((fault) => ({ ...fault, path: `messages[${index}].${fault.path}`.replace(/\.$/, '') }));
}

const list = endpoint({
  name: 'messages.list',
  method: 'get',
  path: '/v1/messages',
  summary: 'Messages, newest first',
  scope: 'read',
  query: ListQuery,
  answers: { 200: json('A page.', MessageList) },
  run({ caller: { space }, query: { limit, cursor, from, to, ...filter } }, { store }) {
    const at = (time: string | undefined): number | undefined => (time === undefined ? undefined : Date.parse(time));
    const page = store.messages.list({
      ...store.messages.asWritten(space, filter),
      from: at(from),
      to: at(to),
      space,
      limit,
      before: cursor,
    });
    const deliveries = store.messages.deliveriesOf(page.rows.map((row) => row.id));
    return {
      messages: page.rows.map((row) =>
        messageSummary(
          row,
          deliveries.filter((delivery) => delivery.messageId === row.id),
        ),
      ),
      nextCursor: page.next,
      partial: page.partial || undefined,
    };
  },
});

const get = endpoint({
  name: 'messages.get',
  method: 'get',
  path: '/v1/messages/{id}',
  summary: 'One message with everything known of its deliveries',
  scope: 'read',
  params: textParams('id'),
  answers: { 200: json('The message.', MessageView) },
  run({ caller, params: { id } }, { store, waitsFor }) {
    const row = found(store, caller.space, id);
    return {
      ...messageFields(row),
      attachments: attachmentsOf(store, row),
      sensitive: sensitiveState(store, row),
      data: row.more.sealed === true || !caller.readsContent ? null : row.data,
      deliveries: store.messages.deliveriesOf([row.id]).map((delivery) => deliveryView(delivery, { store, waitsFor })),
    };
  },
});

const cancel = endpoint({
  name: 'messages.cancel',
  method: 'post',
  path: '/v1/messages/{id}/cancel',
  summary: 'Cancel what has not been sent yet',
  scope: 'send',
  params: textParams('id'),
  answers: { 200: json('The deliveries that could be canceled.', ChangeView) },
  isRepeatable: true,
  async run({ caller: { space }, params: { id } }, { store, clock }) {
    const row = found(store, space, id);
    return store.write((tx) => change(store, tx, row, (deliveryId) => store.deliveries.cancel(tx, deliveryId, clock.now())));
  },
});

const reschedule = endpoint({
  name: 'messages.reschedule',
  method: 'post',
  path: '/v1/messages/{id}/reschedule',
  summary: 'Set another time for what has not been sent yet',
  scope: 'send',
  params: textParams('id'),
  body: jsonBody(Rescheduling),
  answers: { 200: json('The deliveries that were changed.', ChangeView) },
  refusals: { 410: 'The edition of the message is no longer kept.' },
  isRepeatable: true,
  async run({ caller: { space }, params: { id }, body }, { store, accept, wake }) {
    const row = found(store, space, id);
    const at = await accept.later(row, body);
    return store.write((tx) => {
      tx.afterCommit(wake);
      return change(store, tx, row, (deliveryId) => store.deliveries.reschedule(tx, deliveryId, at));
    });
  },
});

/** Messages: sent, looked at, canceled. */
export const messageEndpoints = [send, sendBatch, list, get, ...readingEndpoints, cancel, reschedule];
