import { addressText, isFault, parseMailbox, type Mailbox } from '@verbalis/core/mime';
import type { Request } from 'express';
import { empty, endpointsOf, invalid, json, jsonBody, Refusal, textParams } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import type { Senders, SenderRow } from '../senders/index.js';
import { NO_RULES, type SpaceSettings } from '../spaces/index.js';
import type { Confirming } from './confirming.js';
import { NewSender, SenderChange, SenderList, SenderView } from './model.js';
import type { Store } from './store.js';
import { addedView, sendersView, type ViewSources } from './views.js';

export interface SenderEndpoints {
  readonly store: Store;
  readonly senders: Senders;
  readonly confirming: Confirming;
  readonly editions: Editions;
  readonly spaces: SpaceSettings;
}

const endpoint = endpointsOf<SenderEndpoints>();

const sources = (space: string, { store, senders, spaces }: SenderEndpoints): ViewSources => ({
  store,
  senders,
  space,
  rules: spaces[space] ?? NO_RULES,
});

/** @throws Refusal */
function found(space: string, address: string, { store }: SenderEndpoints): SenderRow {
  const row = store.senders.find(space, address);
  if (row !== undefined) return row;
  const known = store.senders.of(space).map((added) => added.address);
  throw new Refusal(404, 'unknown-sender', 'There is no such sender', {
    detail: `"${address}" was not added to the space "${space}".`,
    hint: known.length === 0 ? `Add it: verbalis senders add ${address}` : `There are: ${known.join(', ')}.`,
  });
}

/** @throws Refusal */
function mailboxOf(address: string, name: string | undefined): Mailbox {
  const parsed = parseMailbox(address);
  if (isFault(parsed)) throw invalid([{ path: 'address', message: parsed.fault, hint: parsed.hint }]);
  return { ...parsed, name: (name ?? parsed.name).trim() };
}

const baseOf = (request: Request): string => `${request.protocol}://${request.get('host') ?? ''}`;

const list = endpoint({
  name: 'senders.list',
  method: 'get',
  path: '/v1/senders',
  summary: 'The senders of the space, and whether it may send as them',
  scope: 'read',
  answers: { 200: json('All of them: configured, of the mail folder, and added.', SenderList) },
  run: async ({ caller: { space } }, deps) => sendersView(sources(space, deps), await deps.editions.current(space)),
});

const add = endpoint({
  name: 'senders.add',
  method: 'post',
  path: '/v1/senders',
  summary: 'Add an address that the space may send as',
  description:
    'Where its domain is neither configured nor added, its owner is asked by an email with a link; until they agree, a space that delivers does not send as it.',
  scope: 'operator',
  body: jsonBody(NewSender),
  answers: { 201: json('The sender.', SenderView) },
  refusals: { 409: 'The space has no sender for the email that asks.' },
  isRepeatable: true,
  async run({ caller: { space }, body: { address, name }, request }, deps) {
    const mailbox = mailboxOf(address, name);
    const row = await deps.confirming.add({ space, mailbox, address: addressText(mailbox).toLowerCase() }, baseOf(request));
    return addedView(row, sources(space, deps));
  },
});

const change = endpoint({
  name: 'senders.change',
  method: 'patch',
  path: '/v1/senders/{address}',
  summary: 'Change the display name of a sender',
  scope: 'operator',
  params: textParams('address'),
  body: jsonBody(SenderChange),
  answers: { 200: json('The sender.', SenderView) },
  isRepeatable: true,
  async run({ caller: { space }, params: { address }, body: { name } }, deps) {
    const { id } = found(space, address, deps);
    await deps.store.write((tx) => {
      deps.store.senders.change(tx, id, { name: name.trim() });
    });
    return addedView(found(space, address, deps), sources(space, deps));
  },
});

const ask = endpoint({
  name: 'senders.ask',
  method: 'post',
  path: '/v1/senders/{address}/ask',
  summary: 'Ask the owner of an address again',
  scope: 'operator',
  params: textParams('address'),
  answers: { 200: json('The sender.', SenderView) },
  refusals: { 409: 'It is confirmed.', 429: 'Its owner was asked just now.' },
  async run({ caller: { space }, params: { address }, request }, deps) {
    return addedView(await deps.confirming.ask(found(space, address, deps), baseOf(request)), sources(space, deps));
  },
});

const remove = endpoint({
  name: 'senders.remove',
  method: 'delete',
  path: '/v1/senders/{address}',
  summary: 'Remove a sender',
  description: 'What was accepted already is still sent. Its link confirms nothing any more.',
  scope: 'operator',
  params: textParams('address'),
  answers: { 204: empty('It is gone.') },
  async run({ caller: { space }, params: { address } }, deps) {
    const { id } = found(space, address, deps);
    await deps.store.write((tx) => {
      deps.store.senders.remove(tx, id);
    });
    return undefined;
  },
});

/** Whom a space sends as: added, confirmed, named. */
export const senderEndpoints = [list, add, change, ask, remove];
