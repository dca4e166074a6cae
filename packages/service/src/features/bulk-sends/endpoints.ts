import type * as z from 'zod';
import type { RequestProblem } from '../../kernel/index.js';
import {
  endpointsOf,
  instant,
  json,
  jsonBody,
  numberCursor,
  optionalInstant,
  pageOf,
  Refusal,
  Reply,
  textParams,
  type Clock,
} from '../../kernel/index.js';
import { BulkList, BulkQuery, BulkView, NewBulkSend, RefusalList, RefusalQuery, SourceSecret, type BulkSummary } from './model.js';
import type { BulkRow } from './queries.js';
import { reportEnd } from './report.js';
import type { BulkStarter } from './start.js';
import type { Store } from './store.js';
import type { BulkState } from './tables.js';

export interface BulkEndpoints {
  readonly store: Store;
  readonly starter: BulkStarter;
  readonly clock: Clock;
  readonly wake: () => void;
  /** An event was written. */
  readonly reported: () => void;
  readonly secretOf: (space: string) => string;
}

const endpoint = endpointsOf<BulkEndpoints>();

function summary(row: BulkRow): z.input<typeof BulkSummary> {
  const { id, name, state, common, source, createdAt, endedAt, read, accepted, refused, perMinute, first, run, problem, nextAt } = row;
  return {
    id,
    name,
    template: common.template,
    state,
    source: source.kind,
    createdAt: instant(createdAt),
    endedAt: optionalInstant(endedAt),
    read,
    accepted,
    refused,
    perMinute: perMinute ?? undefined,
    first: first ?? undefined,
    run: run === null ? undefined : { schedule: run.schedule, plannedAt: instant(run.plannedAt) },
    problem: problem ?? undefined,
    nextAt: state === 'running' ? optionalInstant(nextAt) : undefined,
  };
}

function view({ store }: BulkEndpoints, row: BulkRow): z.input<typeof BulkView> {
  return { ...summary(row), deliveries: Object.fromEntries(store.bulkSends.states(row.id).map(({ state, n }) => [state, n])) };
}

function found({ store }: BulkEndpoints, space: string, id: string): BulkRow {
  const row = store.bulkSends.find(space, id);
  if (row !== undefined) return row;
  throw new Refusal(404, 'unknown-bulk-send', 'There is no such bulk send', { detail: `There is no "${id}" in the space "${space}".` });
}

const start = endpoint({
  name: 'bulkSends.start',
  method: 'post',
  path: '/v1/bulk-sends',
  summary: 'Send a template to many recipients',
  description:
    'Recipients are read in pieces, each is checked, and each address gets one message, even if the service is killed midway. Suppressions and consent hold as for every message.',
  scope: 'send',
  body: jsonBody(NewBulkSend),
  answers: { 202: json('It has begun.', BulkView) },
  refusals: { 404: 'There is no such upload.', 422: 'The template cannot be sent to many, or the file is not right.' },
  async run({ caller: { space, key }, body }, deps) {
    const { store, starter } = deps;
    const { recipients, name, perMinute, first, essential, ...common } = body;
    const begin = await starter.prepare(space, { name, common, recipients, perMinute, first, essential, keyId: key?.id });
    return new Reply(view(deps, await store.write(begin)), { status: 202 });
  },
});

const list = endpoint({
  name: 'bulkSends.list',
  method: 'get',
  path: '/v1/bulk-sends',
  summary: 'Bulk sends, newest first',
  scope: 'read',
  query: BulkQuery,
  answers: { 200: json('A page.', BulkList) },
  run({ caller: { space }, query: { limit, cursor } }, { store }) {
    const page = pageOf(store.bulkSends.list(space, limit + 1, cursor), limit, ({ id }) => id);
    return { bulkSends: page.rows.map(summary), nextCursor: page.nextCursor };
  },
});

const show = endpoint({
  name: 'bulkSends.get',
  method: 'get',
  path: '/v1/bulk-sends/{id}',
  summary: 'One bulk send, and how its deliveries stand',
  scope: 'read',
  params: textParams('id'),
  answers: { 200: json('The bulk send.', BulkView) },
  refusals: { 404: 'There is no such bulk send.' },
  run: ({ caller: { space }, params: { id } }, deps) => view(deps, found(deps, space, id)),
});

const refused = endpoint({
  name: 'bulkSends.refused',
  method: 'get',
  path: '/v1/bulk-sends/{id}/refused',
  summary: 'Recipients that were refused, and why',
  scope: 'read',
  showsContent: true,
  params: textParams('id'),
  query: RefusalQuery,
  answers: { 200: json('In the order of the source.', RefusalList) },
  refusals: { 404: 'There is no such bulk send.' },
  run({ caller: { space }, params: { id }, query: { limit, cursor = 0 } }, deps) {
    found(deps, space, id);
    const page = pageOf(deps.store.bulkSends.refusals(id, limit + 1, cursor), limit, ({ n }) => numberCursor(n));
    return {
      refused: page.rows.map(({ n, who, problem }) => ({
        row: n,
        who: who ?? undefined,
        problems:
          problem === null ? [] : (JSON.parse(problem) as RequestProblem[]).map(({ path, message, hint }) => ({ path, message, hint })),
      })),
      nextCursor: page.nextCursor,
    };
  },
});

/** Moves a bulk send from one of some states to another. @throws Refusal 409 */
async function move(
  deps: BulkEndpoints,
  space: string,
  id: string,
  to: { readonly state: BulkState; readonly from: readonly BulkState[]; readonly word: string },
) {
  const { store, clock, wake } = deps;
  found(deps, space, id);
  const row = await store.write((tx) => {
    const current = store.bulkSends.find(space, id, tx);
    if (current === undefined || current.state === to.state) return current;
    if (!to.from.includes(current.state))
      throw new Refusal(409, 'bulk-send-state', `This bulk send cannot be ${to.word}`, { detail: `It is ${current.state}.` });
    if (current.state === 'done' && store.bulkSends.waiting(id, 1, tx).length === 0)
      throw new Refusal(409, 'bulk-send-state', 'This bulk send has ended', { detail: 'It is done, and nothing of it waits.' });
    const now = clock.now();
    store.bulkSends.set(tx, id, {
      state: to.state,
      nextAt: to.state === 'paused' ? null : now,
      ...(to.state === 'running' ? { problem: null, failures: 0 } : {}),
      ...(to.state === 'canceled' ? { endedAt: now } : {}),
    });
    if (to.state === 'canceled') {
      reportEnd(tx, store, { ...current, state: 'canceled' }, now);
      tx.afterCommit(deps.reported);
    }
    tx.afterCommit(wake);
    return store.bulkSends.find(space, id, tx);
  });
  return view(deps, row ?? found(deps, space, id));
}

const pause = endpoint({
  name: 'bulkSends.pause',
  method: 'post',
  path: '/v1/bulk-sends/{id}/pause',
  summary: 'Read no more recipients',
  description: 'What was accepted is sent; hold it with `queue hold` to stop that, too.',
  scope: 'send',
  params: textParams('id'),
  answers: { 200: json('The bulk send.', BulkView) },
  refusals: { 404: 'There is no such bulk send.', 409: 'It has ended.' },
  isRepeatable: true,
  run: ({ caller: { space }, params: { id } }, deps) =>
    move(deps, space, id, { state: 'paused', from: ['running', 'failed'], word: 'paused' }),
});

const resume = endpoint({
  name: 'bulkSends.resume',
  method: 'post',
  path: '/v1/bulk-sends/{id}/resume',
  summary: 'Go on where it stopped',
  scope: 'send',
  params: textParams('id'),
  answers: { 200: json('The bulk send.', BulkView) },
  refusals: { 404: 'There is no such bulk send.', 409: 'It has ended.' },
  isRepeatable: true,
  run: ({ caller: { space }, params: { id } }, deps) =>
    move(deps, space, id, { state: 'running', from: ['paused', 'failed'], word: 'resumed' }),
});

const cancel = endpoint({
  name: 'bulkSends.cancel',
  method: 'post',
  path: '/v1/bulk-sends/{id}/cancel',
  summary: 'End it and cancel what waits',
  scope: 'send',
  params: textParams('id'),
  answers: { 200: json('The bulk send; what waits is canceled within a moment.', BulkView) },
  refusals: { 404: 'There is no such bulk send.', 409: 'It has ended, and nothing of it waits.' },
  isRepeatable: true,
  // One that has read all its recipients may still have many that wait.
  run: ({ caller: { space }, params: { id } }, deps) =>
    move(deps, space, id, { state: 'canceled', from: ['running', 'paused', 'failed', 'done'], word: 'canceled' }),
});

const secret = endpoint({
  name: 'bulkSends.secret',
  method: 'get',
  path: '/v1/recipient-source-secret',
  summary: 'With what requests for recipients are signed',
  scope: 'manage',
  answers: { 200: json('The same for all bulk sends of the space.', SourceSecret) },
  run: ({ caller: { space } }, { secretOf }) => ({ secret: secretOf(space) }),
});

/** One template to many recipients. */
export const bulkEndpoints = [start, list, show, refused, pause, resume, cancel, secret];
