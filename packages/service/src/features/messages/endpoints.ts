import { fieldText, readMail, shownText } from '@verbalis/core/mime';
import { parseItem, type BareItem } from 'structured-headers';
import { z } from 'zod';
import {
  content,
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
import { sendFrame, withCarried } from '../mail-view/index.js';
import type { Acceptor, BatchResult } from './accept.js';
import type { MessageMetrics } from './metrics.js';
import {
  BatchView,
  ChangeView,
  FrameQuery,
  ListQuery,
  MailView,
  MessageList,
  MessageSummary,
  MessageView,
  NewBatch,
  NewMessage,
  Rescheduling,
  type MessageRequest,
} from './model.js';
import type { Store } from './store.js';
import type { DeliveryRow, MessageRow } from './tables.js';
import { deliveryView, messageFields, messageSummary, type ViewSources } from './views.js';

export interface MessageEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly metrics: MessageMetrics;
  /** Called when something may be due. */
  readonly wake: () => void;
  /** Makes the bytes of a delivery's email, for those that were too large to be kept. */
  readonly waitsFor: ViewSources['waitsFor'];
  readonly compose: (message: MessageRow, delivery: DeliveryRow) => Promise<Buffer>;
  /** HTML as it was before its links were tracked: whoever looks at an email here is not its reader. */
  readonly unlinked: (html: string) => string;
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

function found({ messages }: Store, space: string, id: string): MessageRow {
  const row = messages.find(space, id);
  if (row === undefined)
    throw new Refusal(404, 'unknown-message', 'There is no such message', { detail: `No message "${id}" in the space "${space}".` });
  return row;
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

/** The bytes of a message's first email: as they were kept, or made anew. */
async function bytesOf({ store, compose }: MessageEndpoints, row: MessageRow): Promise<Buffer> {
  if (row.more.sealed === true)
    throw new Refusal(403, 'sealed', 'Only its recipient may read this email', { detail: 'It holds a link that signs in.' });
  if (row.more.dropped !== undefined)
    throw new Refusal(410, 'body-gone', 'The email is no longer kept', {
      detail: `The topic "${row.topic ?? ''}" keeps ${row.more.dropped === 'body' ? 'bodies' : 'data'} for a while only, or its recipient was erased.`,
      hint: 'How long: keep of the topic in mail.yaml.',
    });
  const [delivery] = store.messages.deliveriesOf([row.id]);
  const made = delivery === undefined ? undefined : store.messages.mail(delivery.id);
  const bytes = made ?? (delivery !== undefined && delivery.attempts > 0 ? await compose(row, delivery) : undefined);
  if (bytes === undefined)
    throw new Refusal(409, 'not-made-yet', 'The email does not exist yet', {
      hint: 'It is made at the first attempt; ask again in a moment.',
      retryAfterSeconds: 1,
    });
  return bytes;
}

/** Does something with each delivery of a message that no worker has yet. */
function change({ messages }: Store, tx: Tx, row: MessageRow, run: (deliveryId: string) => boolean): z.input<typeof ChangeView> {
  const ids = messages.deliveriesOf([row.id], tx).map((delivery) => delivery.id);
  const changed = ids.filter(run);
  return { changed, late: ids.filter((id) => !changed.includes(id)) };
}

const MADE_AT_FIRST_ATTEMPT = {
  409: 'The email is made at the first attempt, and there was none yet.',
  410: 'The email is no longer kept.',
};

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
  description: 'The idempotency key stands for the batch: an entry that was accepted under it is not accepted again.',
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
      data: row.more.sealed === true || !caller.readsContent ? null : row.data,
      deliveries: store.messages.deliveriesOf([row.id]).map((delivery) => deliveryView(delivery, { store, waitsFor })),
    };
  },
});

const mail = endpoint({
  name: 'messages.mail',
  method: 'get',
  path: '/v1/messages/{id}/mail',
  summary: 'The email as sent, read back from its bytes',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: json('The email.', MailView) },
  refusals: MADE_AT_FIRST_ATTEMPT,
  async run({ caller: { space }, params: { id } }, deps) {
    const bytes = await bytesOf(deps, found(deps.store, space, id));
    const read = readMail(bytes);
    return {
      subject: fieldText(read.fields.find((field) => field.name === 'subject')?.raw ?? ''),
      headers: read.fields.map(({ name, raw }) => ({ name, value: fieldText(raw) })),
      html: shownText(read, 'html') ?? '',
      text: shownText(read, 'plain') ?? '',
      size: bytes.length,
    };
  },
});

const html = endpoint({
  name: 'messages.html',
  method: 'get',
  path: '/v1/messages/{id}/html',
  summary: 'The HTML part as a page for a sandboxed frame',
  description:
    'No script, no form, and nothing from other hosts until `remote` asks for it. Its links lead to their targets, so that looking counts for nothing.',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  query: FrameQuery,
  answers: { 200: content('HTML under a policy that lets nothing run.', 'text/html') },
  refusals: MADE_AT_FIRST_ATTEMPT,
  async run({ caller: { space }, params: { id }, query: { remote }, response }, deps) {
    const read = readMail(await bytesOf(deps, found(deps.store, space, id)));
    sendFrame(response, deps.unlinked(withCarried(shownText(read, 'html') ?? '', read)), remote === 'yes' ? 'all' : 'own');
    return undefined;
  },
});

const source = endpoint({
  name: 'messages.source',
  method: 'get',
  path: '/v1/messages/{id}/source',
  summary: 'The bytes of the email (RFC 5322)',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: content('The bytes.', 'message/rfc822') },
  refusals: MADE_AT_FIRST_ATTEMPT,
  async run({ caller: { space }, params: { id } }, deps) {
    const row = found(deps.store, space, id);
    return new Reply(await bytesOf(deps, row), { headers: { 'Content-Disposition': `attachment; filename="${row.id}.eml"` } });
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
export const messageEndpoints = [send, sendBatch, list, get, mail, html, source, cancel, reschedule];
