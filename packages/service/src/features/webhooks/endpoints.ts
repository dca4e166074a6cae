import { readPayloadTemplate } from '@verbalis/core/payload';
import {
  empty,
  endpointsOf,
  invalid,
  json,
  jsonBody,
  numberCursor,
  optionalJsonBody,
  pageOf,
  Refusal,
  Reply,
  textParams,
  type Caller,
} from '../../kernel/index.js';
import { filterOf } from '../events/index.js';
import {
  Again,
  AgainMade,
  NewSubscription,
  NotificationList,
  NotificationQuery,
  Replay,
  SubscriptionChange,
  SubscriptionTested,
  SubscriptionView,
  SubscriptionViews,
} from './model.js';
import type { Notifier } from './notifier.js';
import type { SubscriptionRow } from './queries.js';
import type { Store } from './store.js';
import { notificationView, subscriptionView } from './views.js';

export interface SubscriptionEndpoints {
  readonly store: Store;
  readonly notifying: Notifier;
}

const endpoint = endpointsOf<SubscriptionEndpoints>();

/** Names that a payload's expressions may use. */
const PAYLOAD_NAMES = { event: undefined, events: undefined };

/** @throws Refusal with what is wrong with a payload */
function checkedPayload(payload: unknown): unknown {
  if (payload === undefined || payload === null) return undefined;
  const { problems } = readPayloadTemplate(payload, 'payload', PAYLOAD_NAMES);
  if (problems.length > 0) throw invalid(problems.map(({ message, hint }) => ({ path: 'payload', message, hint })));
  return payload;
}

function found({ subscriptions }: Store, { space }: Caller, id: string): SubscriptionRow {
  const row = subscriptions.find(space, id) ?? subscriptions.list(space).find((other) => other.name === id);
  if (row !== undefined) return row;
  throw new Refusal(404, 'unknown-subscription', 'There is no such subscription', {
    detail: `No subscription "${id}" in the space "${space}".`,
    hint: 'verbalis subscriptions list',
  });
}

const BY_ID = { params: textParams('id') } as const;

const list = endpoint({
  name: 'subscriptions.list',
  method: 'get',
  path: '/v1/subscriptions',
  summary: 'Where events are sent',
  scope: 'read',
  answers: { 200: json('All of the space.', SubscriptionViews) },
  run: ({ caller: { space } }, deps) => ({
    subscriptions: deps.store.subscriptions.list(space).map((row) => subscriptionView(deps, row)),
  }),
});

const add = endpoint({
  name: 'subscriptions.add',
  method: 'post',
  path: '/v1/subscriptions',
  summary: 'Send events to an address',
  description: 'The receiver must agree first (CloudEvents webhook specification, 4.1). The secret is in this answer and nowhere else.',
  scope: 'write',
  body: jsonBody(NewSubscription),
  answers: { 201: { ...json('Made.', SubscriptionView), headers: { Location: 'The address of the subscription.' } } },
  refusals: { 409: 'The address does not want events, or could not be asked.' },
  async run({ caller, body }, deps) {
    if (!body.handshake && !caller.scopes.has('manage'))
      throw new Refusal(403, 'handshake-needed', 'This key may not skip the handshake', {
        detail: 'Only the scope "manage" may subscribe an address that has not agreed.',
        hint: 'Leave "handshake" out, or use the operator’s secret.',
      });
    filterOf(body.filter);
    const payload = checkedPayload(body.payload);
    if (payload !== undefined && body.batch > 1 && !JSON.stringify(payload).includes('events'))
      throw invalid([
        {
          path: 'payload',
          message: 'uses one event only, but "batch" sends more together',
          hint: 'Use {"$each": "one in events", "$value": …}, or batch: 1.',
        },
      ]);
    const name = body.name ?? new URL(body.url).host;
    const { row, secret } = await deps.notifying.add({ ...body, payload, space: caller.space, name });
    return new Reply(subscriptionView(deps, row, secret), { headers: { Location: `/v1/subscriptions/${row.id}` } });
  },
});

const get = endpoint({
  name: 'subscriptions.get',
  method: 'get',
  path: '/v1/subscriptions/{id}',
  summary: 'One subscription, by its id or its name',
  scope: 'read',
  ...BY_ID,
  answers: { 200: json('The subscription.', SubscriptionView) },
  run: ({ caller, params: { id } }, deps) => subscriptionView(deps, found(deps.store, caller, id)),
});

const change = endpoint({
  name: 'subscriptions.change',
  method: 'patch',
  path: '/v1/subscriptions/{id}',
  summary: 'Change its name, filter, payload or batch',
  scope: 'write',
  ...BY_ID,
  body: jsonBody(SubscriptionChange),
  answers: { 200: json('The subscription.', SubscriptionView) },
  isRepeatable: true,
  async run({ caller, params: { id }, body: { payload, ...rest } }, deps) {
    const row = found(deps.store, caller, id);
    if (rest.filter !== undefined) filterOf(rest.filter);
    const all = { ...rest, ...(payload === undefined ? {} : { payload: checkedPayload(payload) }) };
    const given = Object.fromEntries(Object.entries(all).filter(([, value]) => value !== undefined));
    return subscriptionView(deps, await deps.notifying.change(row, given));
  },
});

const remove = endpoint({
  name: 'subscriptions.remove',
  method: 'delete',
  path: '/v1/subscriptions/{id}',
  summary: 'Remove it, with its notifications',
  scope: 'write',
  ...BY_ID,
  answers: { 204: empty('Removed.') },
  async run({ caller, params: { id } }, { store, notifying }) {
    await notifying.remove(found(store, caller, id));
    return undefined;
  },
});

const pause = endpoint({
  name: 'subscriptions.pause',
  method: 'post',
  path: '/v1/subscriptions/{id}/pause',
  summary: 'Send nothing until it is resumed; no event is lost',
  scope: 'write',
  ...BY_ID,
  answers: { 200: json('The subscription.', SubscriptionView) },
  isRepeatable: true,
  run: async ({ caller, params: { id } }, deps) =>
    subscriptionView(deps, await deps.notifying.pause(found(deps.store, caller, id), { paused: true })),
});

const resume = endpoint({
  name: 'subscriptions.resume',
  method: 'post',
  path: '/v1/subscriptions/{id}/resume',
  summary: 'Send again from where it stopped; asks the address again where it has not agreed',
  scope: 'write',
  ...BY_ID,
  answers: { 200: json('The subscription.', SubscriptionView) },
  async run({ caller, params: { id } }, deps) {
    const row = found(deps.store, caller, id);
    const isAsked = row.state === 'unproven' || (row.state === 'gone' && row.handshake);
    return subscriptionView(deps, isAsked ? await deps.notifying.prove(row) : await deps.notifying.pause(row, { paused: false }));
  },
});

const test = endpoint({
  name: 'subscriptions.test',
  method: 'post',
  path: '/v1/subscriptions/{id}/test',
  summary: 'Send a test event now',
  scope: 'write',
  ...BY_ID,
  answers: { 200: json('The answer of the address.', SubscriptionTested) },
  async run({ caller, params: { id } }, { store, notifying }) {
    const { ok, status, problem, milliseconds } = await notifying.test(found(store, caller, id));
    return { ok, status, problem, milliseconds };
  },
});

const renewSecret = endpoint({
  name: 'subscriptions.renewSecret',
  method: 'post',
  path: '/v1/subscriptions/{id}/secret',
  summary: 'Make a new secret. The old one signs too until the next call removes it',
  scope: 'write',
  ...BY_ID,
  answers: { 200: json('The subscription with the new secret.', SubscriptionView) },
  async run({ caller, params: { id } }, deps) {
    const row = found(deps.store, caller, id);
    return subscriptionView(deps, row, await deps.notifying.rotate(row));
  },
});

const replay = endpoint({
  name: 'subscriptions.replay',
  method: 'post',
  path: '/v1/subscriptions/{id}/replay',
  summary: 'Send again what happened at a time or later',
  scope: 'write',
  ...BY_ID,
  body: jsonBody(Replay),
  answers: { 200: json('The subscription.', SubscriptionView) },
  run: async ({ caller, params: { id }, body: { since } }, deps) =>
    subscriptionView(deps, await deps.notifying.replay(found(deps.store, caller, id), Date.parse(since))),
});

const again = endpoint({
  name: 'subscriptions.again',
  method: 'post',
  path: '/v1/subscriptions/{id}/again',
  summary: 'Send dead letters again',
  scope: 'write',
  ...BY_ID,
  body: optionalJsonBody(Again),
  answers: { 200: json('How many.', AgainMade) },
  async run({ caller, params: { id }, body: { notifications } }, { store, notifying }) {
    const seqs = notifications?.map((notification) => Number.parseInt(notification, 36));
    return { count: await notifying.again(found(store, caller, id), seqs) };
  },
});

const notifications = endpoint({
  name: 'subscriptions.notifications',
  method: 'get',
  path: '/v1/subscriptions/{id}/notifications',
  summary: 'What was sent to it, newest first',
  scope: 'read',
  ...BY_ID,
  query: NotificationQuery,
  answers: { 200: json('A page.', NotificationList) },
  run({ caller, params: { id }, query: { limit, cursor, state } }, { store }) {
    const row = found(store, caller, id);
    const rows = store.subscriptions.notifications(row.id, { limit: limit + 1, before: cursor, state });
    const page = pageOf(rows, limit, ({ seq }) => numberCursor(seq));
    const events = new Map(store.events.at(page.rows.map(({ seq }) => seq)).map((event) => [event.seq, event]));
    return {
      notifications: page.rows.map((notification) => notificationView(notification, events.get(notification.seq))),
      nextCursor: page.nextCursor,
    };
  },
});

/** Where events are sent, and how each notification ended. */
export const subscriptionEndpoints = [list, add, get, change, remove, pause, resume, test, renewSecret, replay, again, notifications];
