import { fieldText, readMail, shownText } from '@verbalis/core/mime';
import { content, endpointsOf, json, Refusal, Reply, requireScope, textParams, type Caller } from '../../kernel/index.js';
import { sendFrame, withCarried } from '../mail-view/index.js';
import { FrameQuery, MailView, MessageData, SensitiveQuery } from './model.js';
import type { Readings } from './readings.js';
import type { Store } from './store.js';
import type { DeliveryRow, MessageRow } from './tables.js';

// What an email says: as it was sent, with its sensitive data masked unless someone who may see them asks for them.

export interface ReadingEndpoints {
  readonly store: Store;
  readonly readings: Readings;
  /** Makes the bytes of a delivery's email, for those that were not kept. */
  readonly compose: (message: MessageRow, delivery: DeliveryRow) => Promise<Buffer>;
  /** HTML as it was before its links were tracked: a person who looks at an email here is not its reader. */
  readonly unlinked: (html: string) => string;
}

const endpoint = endpointsOf<ReadingEndpoints>();

/** A message of a space. @throws Refusal 404 */
export function found({ messages }: Store, space: string, id: string): MessageRow {
  const row = messages.find(space, id);
  if (row === undefined)
    throw new Refusal(404, 'unknown-message', 'There is no such message', { detail: `No message "${id}" in the space "${space}".` });
  return row;
}

function sealed(): Refusal {
  return new Refusal(403, 'sealed', 'Only its recipient may read this email', { detail: 'It holds a link that signs in.' });
}

/** An email as its caller may see it. */
interface ShownBytes {
  readonly bytes: Buffer;
  /** Whether other values stand in place of its sensitive data. */
  readonly isMasked: boolean;
}

/** The bytes of a message's first email: as they were kept, or rendered again. */
async function bytesOf(
  { store, compose, readings }: ReadingEndpoints,
  row: MessageRow,
  { caller, query: { sensitive } }: { readonly caller: Caller; readonly query: { readonly sensitive?: 'yes' | undefined } },
): Promise<ShownBytes> {
  if (row.more.sealed === true) throw sealed();
  if (row.more.dropped !== undefined)
    throw new Refusal(410, 'body-gone', 'The email is no longer kept', {
      detail: `The topic "${row.topic ?? ''}" keeps ${row.more.dropped === 'body' ? 'bodies' : 'data'} for a while only, or its recipient was erased.`,
      hint: 'How long: keep of the topic in mail.yaml.',
    });
  const [delivery] = store.messages.deliveriesOf([row.id]);
  if (sensitive === 'yes') requireScope(caller, 'read-sensitive');
  if (sensitive === 'yes' && readings.secret(row) === undefined) throw sensitiveGone();
  const isMasked = row.more.sensitive === true && sensitive !== 'yes';
  const made = delivery === undefined ? undefined : store.messages.mail(delivery.id);
  const isMade = delivery !== undefined && delivery.attempts > 0;
  const bytes = made ?? (isMade ? await compose(isMasked ? await readings.masked(row) : readings.whole(row), delivery) : undefined);
  if (bytes === undefined)
    throw new Refusal(409, 'not-made-yet', 'The email does not exist yet', {
      hint: 'It is made at the first attempt; ask again in a moment.',
      retryAfterSeconds: 1,
    });
  return { bytes, isMasked };
}

function sensitiveGone(): Refusal {
  return new Refusal(410, 'sensitive-gone', 'Its sensitive data are no longer kept', {
    detail: 'They were removed when nothing waited for them any longer.',
  });
}

const MADE_AT_FIRST_ATTEMPT = {
  409: 'The email is made at the first attempt, and there was none yet.',
  410: 'The email is no longer kept.',
};

const mail = endpoint({
  name: 'messages.mail',
  method: 'get',
  path: '/v1/messages/{id}/mail',
  summary: 'The email as sent, read back from its bytes',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  query: SensitiveQuery,
  answers: { 200: json('The email.', MailView) },
  refusals: MADE_AT_FIRST_ATTEMPT,
  async run({ caller, params: { id }, query }, deps) {
    const { bytes, isMasked } = await bytesOf(deps, found(deps.store, caller.space, id), { caller, query });
    const read = readMail(bytes);
    // This email was never sent, and nobody has signed it.
    const fields = isMasked ? read.fields.filter(({ name }) => name !== 'dkim-signature') : read.fields;
    return {
      subject: fieldText(read.fields.find((field) => field.name === 'subject')?.raw ?? ''),
      masked: isMasked || undefined,
      headers: fields.map(({ name, raw }) => ({ name, value: fieldText(raw) })),
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
  query: FrameQuery.extend(SensitiveQuery.shape),
  answers: { 200: content('HTML under a policy that lets nothing run.', 'text/html') },
  refusals: MADE_AT_FIRST_ATTEMPT,
  async run({ caller, params: { id }, query, response }, deps) {
    const read = readMail((await bytesOf(deps, found(deps.store, caller.space, id), { caller, query })).bytes);
    sendFrame(response, deps.unlinked(withCarried(shownText(read, 'html') ?? '', read)), query.remote === 'yes' ? 'all' : 'own');
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
  query: SensitiveQuery,
  answers: { 200: content('The bytes.', 'message/rfc822') },
  refusals: MADE_AT_FIRST_ATTEMPT,
  async run({ caller, params: { id }, query }, deps) {
    const row = found(deps.store, caller.space, id);
    const { bytes, isMasked } = await bytesOf(deps, row, { caller, query });
    if (isMasked)
      throw new Refusal(403, 'sensitive', 'This email has sensitive data', {
        detail: 'Its bytes exist with them only.',
        hint: 'Ask for them: ?sensitive=yes, with the scope "read-sensitive" or the role operator.',
      });
    return new Reply(bytes, { headers: { 'Content-Disposition': `attachment; filename="${row.id}.eml"` } });
  },
});

const data = endpoint({
  name: 'messages.data',
  method: 'get',
  path: '/v1/messages/{id}/data',
  summary: 'Its subject and its data, the sensitive ones included while they are kept',
  scope: 'read-sensitive',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: json('The data.', MessageData) },
  refusals: { 410: 'Its sensitive data are no longer kept.' },
  run({ caller, params: { id } }, { store, readings }) {
    const row = found(store, caller.space, id);
    if (row.more.sealed === true) throw sealed();
    const whole = readings.secret(row);
    if (whole === undefined) throw sensitiveGone();
    return { subject: whole.subject, data: whole.data };
  },
});

/** What an email of a message says. */
export const readingEndpoints = [mail, html, source, data];
