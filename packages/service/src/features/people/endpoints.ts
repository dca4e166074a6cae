import type * as z from 'zod';
import { didYouMean } from '@verbalis/core/problems';
import {
  empty,
  endpointsOf,
  instant,
  invalid,
  json,
  jsonBody,
  newId,
  optionalInstant,
  optionalJsonBody,
  Refusal,
  requireScope,
  textParams,
  type Caller,
  type Clock,
  type Tx,
} from '../../kernel/index.js';
import type { SpaceSummaries } from '../keys/index.js';
import { sessionOf } from './access.js';
import { emailOf } from './email.js';
import { EVERY_SPACE } from './grants.js';
import type { Links, MadeLink } from './links.js';
import { Invited, Inviting, NewPerson, PersonChange, PersonList, PersonView, SessionList } from './model.js';
import type { Grant, PersonRow } from './queries.js';
import { baseOf } from './signing-in.js';
import type { Store } from './store.js';

export interface PeopleEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly links: Links;
  readonly spaces: SpaceSummaries;
  readonly publicUrl: string | undefined;
}

const endpoint = endpointsOf<PeopleEndpoints>();

function view(row: PersonRow, { store, clock }: PeopleEndpoints): z.input<typeof PersonView> {
  const { id, email, name, invitedBy, createdAt, lastSignInAt } = row;
  return {
    id,
    email,
    name,
    grants: [...store.people.grantsOf(id)].map(([space, { role, content }]) => ({ space, role, content: content || role !== 'viewer' })),
    invitedBy,
    createdAt: instant(createdAt),
    lastSignInAt: optionalInstant(lastSignInAt),
    sessions: store.people.sessions(clock.now(), id).length,
  };
}

/** By id or address. @throws Refusal 404 */
function found({ store }: PeopleEndpoints, given: string, from?: Tx): PersonRow {
  const row = store.people.find(given, from) ?? store.people.byEmail(given.toLowerCase(), from);
  if (row !== undefined) return row;
  throw new Refusal(404, 'unknown-person', 'There is no such person', {
    detail: `No person has the id or the address "${given}".`,
    hint: 'See: verbalis people list.',
  });
}

/** @throws Refusal that names spaces that are not configured */
function grantsOf(
  given: readonly { space: string; role: Grant['role']; content: boolean }[],
  { spaces }: PeopleEndpoints,
): Map<string, Grant> {
  const known = [...spaces.keys()];
  const problems = given.flatMap(({ space }, i) => {
    if (space === EVERY_SPACE || spaces.has(space)) return [];
    const hint = didYouMean(space, known) ?? `Configured: ${known.join(', ') || 'none'}; "*" is every space.`;
    return [{ path: `grants[${i}].space`, message: `names the space "${space}", which is not configured`, hint }];
  });
  if (problems.length > 0) throw invalid(problems);
  return new Map(given.map(({ space, role, content }) => [space, { role, content }]));
}

/** A role that its owner has lowered by mistake could not be restored by them. @throws Refusal 409 */
function refuseYourself({ actor }: Caller, person: PersonRow): void {
  if (actor.kind !== 'person' || actor.id !== person.id) return;
  throw new Refusal(409, 'yourself', 'You cannot change your own role or remove yourself', {
    hint: 'Ask another operator, or use the operator’s secret.',
  });
}

const invitationOf = ({ sentThrough, url, endsAt }: MadeLink) => ({
  sentThrough,
  url: sentThrough === undefined ? url : undefined,
  endsAt: instant(endsAt),
});

/** @throws Refusal 409 when a link is to be sent and no space can */
function refuseUnsent({ links, isSent }: { readonly links: Links; readonly isSent: boolean }): void {
  if (!isSent || links.space !== undefined) return;
  throw new Refusal(409, 'no-sending-space', 'No space can send the invitation', {
    detail: 'It takes a space that delivers to everybody: neither capturing nor restricted to some recipients.',
    hint: 'Set people.space, or hand the link over yourself: verbalis people invite EMAIL --link ("send": false).',
  });
}

const invite = endpoint({
  name: 'people.invite',
  method: 'post',
  path: '/v1/people',
  summary: 'Invite a person by an email with a sign-in link',
  scope: 'operator',
  isForService: true,
  body: jsonBody(NewPerson),
  answers: { 201: json('They are invited.', Invited) },
  refusals: { 409: 'A person with this address exists already, or no space can send the invitation.' },
  async run({ caller: { actor }, request, body }, deps) {
    const { store, clock, links, publicUrl } = deps;
    const { email, name } = emailOf(body.email);
    const grants = grantsOf(body.grants, deps);
    refuseUnsent({ links, isSent: body.send });
    const now = clock.now();
    const row: PersonRow = {
      id: newId('f', now),
      email,
      name: body.name === '' ? name : body.name,
      createdAt: now,
      invitedBy: actor.name,
      lastSignInAt: null,
      issuer: null,
      subject: null,
    };
    const link = await links.make(row, {
      kind: 'invitation',
      base: baseOf(request, publicUrl),
      by: actor.kind === 'person' ? actor.name : 'The operator',
      isSent: body.send,
      also: (tx) => {
        if (store.people.byEmail(email, tx) !== undefined)
          throw new Refusal(409, 'known-person', 'A person with this address exists already', {
            hint: `See: verbalis people list. A new link: verbalis people link ${email}.`,
          });
        store.people.add(tx, row);
        store.people.setGrants(tx, row.id, grants);
      },
    });
    return { ...view(row, deps), invitation: invitationOf(link) };
  },
});

const list = endpoint({
  name: 'people.list',
  method: 'get',
  path: '/v1/people',
  summary: 'Everybody who may sign in, with their roles',
  scope: 'operator',
  isForService: true,
  answers: { 200: json('By address.', PersonList) },
  run: (_call, deps) => ({ people: deps.store.people.all().map((row) => view(row, deps)) }),
});

const get = endpoint({
  name: 'people.get',
  method: 'get',
  path: '/v1/people/{id}',
  summary: 'One person',
  scope: 'operator',
  isForService: true,
  params: textParams('id'),
  answers: { 200: json('The person.', PersonView) },
  run: ({ params: { id } }, deps) => view(found(deps, id), deps),
});

const change = endpoint({
  name: 'people.change',
  method: 'patch',
  path: '/v1/people/{id}',
  summary: 'Change the name or the roles of a person; the new roles hold from the next request on',
  scope: 'operator',
  isForService: true,
  params: textParams('id'),
  body: jsonBody(PersonChange),
  answers: { 200: json('The person.', PersonView) },
  refusals: { 409: 'It is you.' },
  async run({ caller, params: { id }, body: { name, grants } }, deps) {
    const { store } = deps;
    const given = grants === undefined ? undefined : grantsOf(grants, deps);
    const row = await store.write((tx) => {
      const person = found(deps, id, tx);
      if (given !== undefined) {
        refuseYourself(caller, person);
        store.people.setGrants(tx, person.id, given);
      }
      if (name !== undefined) store.people.change(tx, person.id, { name });
      return found(deps, person.id, tx);
    });
    return view(row, deps);
  },
});

const remove = endpoint({
  name: 'people.remove',
  method: 'delete',
  path: '/v1/people/{id}',
  summary: 'Remove a person; their sessions and links end immediately',
  scope: 'operator',
  isForService: true,
  params: textParams('id'),
  answers: { 204: empty('Removed.') },
  refusals: { 409: 'It is you.' },
  async run({ caller, params: { id } }, deps) {
    await deps.store.write((tx) => {
      const person = found(deps, id, tx);
      refuseYourself(caller, person);
      deps.store.people.remove(tx, person.id);
    });
    return undefined;
  },
});

const link = endpoint({
  name: 'people.link',
  method: 'post',
  path: '/v1/people/{id}/link',
  summary: 'Invite a person again; earlier links become invalid',
  scope: 'operator',
  isForService: true,
  params: textParams('id'),
  body: optionalJsonBody(Inviting),
  answers: { 200: json('They are invited again.', Invited) },
  refusals: { 409: 'No space can send the invitation.' },
  async run({ caller: { actor }, request, params: { id }, body: { send } }, deps) {
    const { links, publicUrl } = deps;
    const person = found(deps, id);
    refuseUnsent({ links, isSent: send });
    const by = actor.kind === 'person' ? actor.name : 'The operator';
    const made = await links.make(person, { kind: 'invitation', base: baseOf(request, publicUrl), by, isSent: send });
    return { ...view(person, deps), invitation: invitationOf(made) };
  },
});

/** Whose sessions a caller may see: undefined for all. @throws Refusal 403 */
function whoseSessions(caller: Caller): string | undefined {
  if (caller.operator) return undefined;
  if (caller.actor.kind !== 'person') requireScope(caller, 'operator');
  return caller.actor.id;
}

const sessions = endpoint({
  name: 'sessions.list',
  method: 'get',
  path: '/v1/sessions',
  summary: 'Open sessions of the console: your own; of everybody for operators',
  scope: 'read',
  isForService: true,
  answers: { 200: json('Used last first.', SessionList) },
  run({ caller, request }, deps) {
    const { store, clock } = deps;
    const emails = new Map(store.people.all().map(({ id, email }) => [id, email]));
    const own = sessionOf(request, deps)?.id;
    return {
      sessions: store.people.sessions(clock.now(), whoseSessions(caller)).map((row) => ({
        id: row.id,
        person: row.personId === null ? undefined : emails.get(row.personId),
        way: row.way,
        openedAt: instant(row.createdAt),
        lastSeenAt: instant(row.lastSeenAt),
        endsAt: instant(row.expiresAt),
        address: row.address,
        browser: row.agent,
        own: row.id === own,
      })),
    };
  },
});

const endSession = endpoint({
  name: 'sessions.end',
  method: 'delete',
  path: '/v1/sessions/{id}',
  summary: 'End a session: its next request is refused, and what it follows live ends within a second',
  scope: 'read',
  isForService: true,
  params: textParams('id'),
  answers: { 204: empty('Ended.') },
  async run({ caller, params: { id } }, { store, clock }) {
    const whose = whoseSessions(caller);
    await store.write((tx) => {
      const row = store.people.session(id, clock.now(), tx);
      if (row === undefined || (whose !== undefined && row.personId !== whose))
        throw new Refusal(404, 'unknown-session', 'There is no such session', {
          hint: 'It may have ended. See: verbalis people sessions.',
        });
      store.people.close(tx, id);
    });
    return undefined;
  },
});

/** People, and their sessions. */
export const peopleEndpoints = [invite, list, get, change, remove, link, sessions, endSession];
