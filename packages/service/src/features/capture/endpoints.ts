import { addressKey } from '@verbalis/core/delivery';
import { inspectMail } from '@verbalis/core/inspect';
import { partBytes, partsOf, readMail, shownText } from '@verbalis/core/mime';
import type * as z from 'zod';
import {
  content,
  endpointsOf,
  eventStream,
  instant,
  json,
  jsonBody,
  numberCursor,
  openStream,
  pageOf,
  Refusal,
  Reply,
  textParams,
} from '../../kernel/index.js';
import { sendFrame, withCarried } from '../mail-view/index.js';
import { FrameQuery } from '../messages/index.js';
import type { CaptureStore } from './capture.js';
import {
  CapturedAddresses,
  CapturedCleared,
  CapturedFilterQuery,
  CapturedList,
  CapturedMail,
  CapturedQuery,
  CapturedSummary,
  CapturedWait,
  Simulation,
} from './model.js';
import type { CapturedFilter, CapturedRow } from './queries.js';
import type { Simulate } from './simulate.js';
import type { Store } from './store.js';

export interface CaptureEndpoints {
  readonly store: Store;
  readonly capturing: CaptureStore;
  readonly simulate: Simulate;
}

const endpoint = endpointsOf<CaptureEndpoints>();

const MOST_ADDRESSES = 500;
/** Rows that one step of a stream reads. */
const STEP = 200;
const SANDBOX = { 'Content-Security-Policy': "sandbox; default-src 'none'" };

function summary(row: CapturedRow): z.input<typeof CapturedSummary> {
  return {
    id: row.id,
    receivedAt: instant(row.receivedAt),
    to: row.address,
    from: row.sender,
    subject: row.subject,
    size: row.size,
    attachments: row.attachments,
    code: row.code ?? undefined,
    messageId: row.messageId ?? undefined,
    deliveryId: row.deliveryId ?? undefined,
  };
}

function detail(capturing: CaptureStore, row: CapturedRow): z.input<typeof CapturedMail> {
  const { headers, text, html, links, codes, attachments } = inspectMail(capturing.bytesOf(row));
  return { ...summary(row), headers: [...headers], text, html, links: [...links], codes: [...codes], files: [...attachments] };
}

type Wanted = z.output<typeof CapturedFilterQuery> & { readonly after?: string | undefined };

function filterOf(space: string, { to, subject, find, after }: Wanted): CapturedFilter {
  return {
    space,
    address: to === undefined ? undefined : addressKey(to.trim(), { anyCase: true }),
    subject,
    find,
    since: after === undefined ? undefined : Date.parse(after),
  };
}

function found({ captured }: Store, space: string, id: string): CapturedRow {
  const row = captured.find(space, id);
  if (row !== undefined) return row;
  throw new Refusal(404, 'unknown-captured', 'There is no such captured mail', {
    detail: `No captured mail "${id}" in the space "${space}".`,
    hint: 'It may have been cleared, or removed for newer ones.',
  });
}

const list = endpoint({
  name: 'captured.list',
  method: 'get',
  path: '/v1/captured',
  summary: 'Captured mail, newest first',
  scope: 'read',
  query: CapturedQuery,
  answers: { 200: json('A page.', CapturedList) },
  run({ caller: { space, readsContent }, query: { limit, cursor, ...wanted } }, { store }) {
    const rows = store.captured.list({ ...filterOf(space, wanted), before: cursor }, limit + 1);
    const page = pageOf(rows, limit, ({ seq }) => numberCursor(seq));
    return { captured: page.rows.map((row) => forCaller(row, readsContent)), nextCursor: page.nextCursor };
  },
});

/** A captured email as someone may see it: its code is content. */
function forCaller(row: CapturedRow, readsContent: boolean): z.input<typeof CapturedSummary> {
  return readsContent ? summary(row) : { ...summary(row), code: undefined };
}

const clear = endpoint({
  name: 'captured.clear',
  method: 'delete',
  path: '/v1/captured',
  summary: 'Delete captured mail: all, or what matches',
  scope: 'write',
  audited: 'people',
  query: CapturedFilterQuery,
  answers: { 200: json('How many.', CapturedCleared) },
  run: async ({ caller: { space }, query }, { store }) => ({
    removed: await store.write((tx) => store.captured.clear(tx, filterOf(space, query))),
  }),
});

const addresses = endpoint({
  name: 'captured.addresses',
  method: 'get',
  path: '/v1/captured/addresses',
  summary: 'Recipients of captured mail, the latest first',
  scope: 'read',
  answers: { 200: json(`Up to ${MOST_ADDRESSES}.`, CapturedAddresses) },
  run: ({ caller: { space } }, { store }) => ({
    addresses: store.captured.addresses(space, MOST_ADDRESSES).map(({ latest, ...row }) => ({ ...row, latest: instant(latest) })),
  }),
});

function nothingCame({ captured }: Store, space: string, { seconds, to, subject, after }: z.output<typeof CapturedWait>): Refusal {
  const [last] = captured.list({ space }, 1);
  const parts = [
    to === undefined ? [] : [`to ${to}`],
    subject === undefined ? [] : [`with "${subject}" in its subject`],
    after === undefined ? [] : [`since ${after}`],
  ].flat();
  const newest = last === undefined ? 'Nothing was captured in this space at all.' : `The newest is to ${last.address}: "${last.subject}".`;
  return new Refusal(404, 'nothing-captured', 'No such email was captured', {
    detail: `Waited ${Math.round(seconds * 100) / 100} s for an email${parts.map((part) => ` ${part}`).join('')}. ${newest}`,
    hint: 'Does the app send to this space, and to that address?',
  });
}

const wait = endpoint({
  name: 'captured.wait',
  method: 'get',
  path: '/v1/captured/wait',
  summary: 'The newest captured email that matches, as soon as there is one',
  description: 'Answered immediately if there is one already; 404 when none was captured in time.',
  scope: 'read',
  showsContent: true,
  query: CapturedWait,
  answers: { 200: json('The email.', CapturedMail) },
  async run({ caller: { space }, query, request }, { store, capturing }) {
    const gone = new AbortController();
    request.on('close', () => {
      gone.abort();
    });
    const row = await capturing.waitFor(filterOf(space, query), query.seconds * 1000, gone.signal);
    if (row !== undefined) return detail(capturing, row);
    if (gone.signal.aborted) return undefined;
    throw nothingCame(store, space, query);
  },
});

const follow = endpoint({
  name: 'captured.follow',
  method: 'get',
  path: '/v1/captured/stream',
  summary: 'Captured mail as it arrives (server-sent events), from Last-Event-ID on',
  scope: 'read',
  answers: { 200: eventStream('Events "captured".') },
  run({ caller, request, response }, { store, capturing }) {
    const { space } = caller;
    const stream = openStream({ caller, request, response });
    const seen = Number(request.header('last-event-id') ?? Number.NaN);
    let at = Number.isInteger(seen) ? seen : store.captured.last();
    const look = (): void => {
      for (;;) {
        const rows = store.captured.list({ space, after: at }, STEP).reverse();
        for (const row of rows) {
          at = row.seq;
          if (!stream.send({ id: row.seq, event: 'captured', data: forCaller(row, caller.readsContent) })) return;
        }
        if (rows.length < STEP) return;
      }
    };
    stream.onClose(capturing.onKept(look));
    look();
    return undefined;
  },
});

const get = endpoint({
  name: 'captured.get',
  method: 'get',
  path: '/v1/captured/{id}',
  summary: 'One captured email, read',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: json('The email.', CapturedMail) },
  run: ({ caller: { space }, params: { id } }, { store, capturing }) => detail(capturing, found(store, space, id)),
});

const remove = endpoint({
  name: 'captured.remove',
  method: 'delete',
  path: '/v1/captured/{id}',
  summary: 'Delete one captured email',
  scope: 'write',
  audited: 'people',
  params: textParams('id'),
  answers: { 200: json('Deleted.', CapturedCleared) },
  async run({ caller: { space }, params: { id } }, { store }) {
    const { seq } = found(store, space, id);
    return { removed: await store.write((tx) => store.captured.clear(tx, { space, after: seq - 1, before: seq + 1 })) };
  },
});

const html = endpoint({
  name: 'captured.html',
  method: 'get',
  path: '/v1/captured/{id}/html',
  summary: 'Its HTML as a page for a sandboxed frame',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  query: FrameQuery,
  answers: { 200: content('HTML under a policy that lets nothing run.', 'text/html') },
  run({ caller: { space }, params: { id }, query: { remote }, response }, { store, capturing }) {
    const mail = readMail(capturing.bytesOf(found(store, space, id)));
    sendFrame(response, withCarried(shownText(mail, 'html') ?? '', mail), remote === 'yes' ? 'all' : 'own');
    return undefined;
  },
});

const source = endpoint({
  name: 'captured.source',
  method: 'get',
  path: '/v1/captured/{id}/source',
  summary: 'Its bytes, as they were received',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  answers: { 200: content('The bytes (RFC 5322).', 'message/rfc822') },
  run({ caller: { space }, params: { id } }, { store, capturing }) {
    const row = found(store, space, id);
    return new Reply(capturing.bytesOf(row), { headers: { ...SANDBOX, 'Content-Disposition': `attachment; filename="${row.id}.eml"` } });
  },
});

const attachment = endpoint({
  name: 'captured.attachment',
  method: 'get',
  path: '/v1/captured/{id}/attachments/{part}',
  summary: 'One attachment of it',
  description: 'Whatever its type, it is saved and never opened by a browser.',
  scope: 'read',
  showsContent: true,
  params: textParams('id', 'part'),
  answers: { 200: content('Its bytes.', 'application/octet-stream') },
  run({ caller: { space }, params: { id, part: given } }, { store, capturing }) {
    const bytes = capturing.bytesOf(found(store, space, id));
    const number = Number(given);
    const file = inspectMail(bytes).attachments.find(({ part }) => part === number);
    const part = [...partsOf(readMail(bytes))][number];
    if (file === undefined || part === undefined)
      throw new Refusal(404, 'unknown-attachment', 'This email has no such attachment', { hint: 'Its "files" list the parts there are.' });
    const disposition = `attachment; filename*=UTF-8''${encodeURIComponent(file.name)}`;
    return new Reply(partBytes(part), { headers: { ...SANDBOX, 'Content-Disposition': disposition } });
  },
});

const simulate = endpoint({
  name: 'captured.simulate',
  method: 'post',
  path: '/v1/captured/{id}/simulate',
  summary: 'Simulate an outcome for a captured email',
  description: 'Reports and complaints are processed as if they had been received by mail.',
  scope: 'write',
  audited: 'people',
  params: textParams('id'),
  body: jsonBody(Simulation),
  answers: { 202: json('The captured email.', CapturedSummary) },
  refusals: { 409: 'The email has no delivery, so nothing can follow for it.' },
  async run({ caller: { space }, params: { id }, body: { outcome, cause, link } }, deps) {
    const row = found(deps.store, space, id);
    await deps.simulate(row, outcome, { cause, link });
    return summary(row);
  },
});

/** Captured mail: looked at, waited for, cleared, and given a simulated outcome. */
export const captureEndpoints = [list, clear, addresses, wait, follow, get, remove, html, source, attachment, simulate];
