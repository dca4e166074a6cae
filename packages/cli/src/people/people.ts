import type { Client, Grant, InvitedPerson, PersonView } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

interface Json {
  readonly json?: boolean;
}
export interface LinkOptions extends Json {
  readonly link?: boolean;
}
export interface RoleOptions extends Json {
  readonly role: readonly string[];
}
export interface InviteOptions extends RoleOptions, LinkOptions {
  readonly name?: string;
}

const ROLES = ['viewer', 'member', 'operator'] as const;

/** "harbour=member", "*=operator", "harbour=viewer+content". */
function grantOf(text: string): Grant {
  const [, space = '', name = '', more] = /^([^=]+)=([a-z]+)(\+content)?$/.exec(text) ?? [];
  const role = ROLES.find((known) => known === name);
  if (role === undefined)
    throw new UsageError(`"${text}" is not a valid role.`, 'Write SPACE=viewer, SPACE=member or SPACE=operator; "*" is every space.');
  return { space, role, content: more !== undefined };
}

const grantText = ({ space, role, content }: Grant): string =>
  `${space === '*' ? 'every space' : space}: ${role}${role === 'viewer' && content ? ' with content' : ''}`;

const rolesText = ({ grants }: PersonView): string => grants.map(grantText).join(', ');

/** Where the link of an invitation is. */
function showInvitation({ email, invitation }: InvitedPerson, output: Output): void {
  const { sentThrough, url, endsAt } = invitation;
  if (url === undefined) {
    output.note(`The link is on its way to ${email}, through the space ${sentThrough ?? '?'}. It works once, until ${clockTime(endsAt)}.`);
    return;
  }
  output.out(url);
  output.note(`Hand this link over to ${email}: anybody who opens it signs in as them. It works once, until ${clockTime(endsAt)}.`);
}

export async function invite(client: Client, email: string, options: InviteOptions, output: Output): Promise<ExitCode> {
  const { role, name, link = false, json = false } = options;
  const invited = await client.people.invite({ email, grants: role.map(grantOf), send: !link, ...(name === undefined ? {} : { name }) });
  if (json) output.json(invited);
  else {
    output.note(`Invited: ${invited.email} (${rolesText(invited)}).`);
    showInvitation(invited, output);
  }
  return 0;
}

export async function inviteAgain(
  client: Client,
  person: string,
  { link = false, json = false }: LinkOptions,
  output: Output,
): Promise<ExitCode> {
  const invited = await client.people.link(person, { send: !link });
  if (json) output.json(invited);
  else showInvitation(invited, output);
  return 0;
}

export async function listPeople(client: Client, { json = false }: Json, output: Output): Promise<ExitCode> {
  const { people } = await client.people.list();
  if (json) output.json({ people });
  else if (people.length === 0)
    output.note('No one is invited yet. Invite a person with: verbalis people invite EMAIL --role SPACE=member');
  else {
    const rows = people.map((person) => [
      person.email,
      person.name,
      rolesText(person),
      person.lastSignInAt === undefined ? 'never' : clockTime(person.lastSignInAt),
      String(person.sessions),
      person.id,
    ]);
    const titles = ['address', 'name', 'roles', 'signed in', 'sessions', 'person'].map((title) => ({ title }));
    output.out(tableText(titles, rows, output.color));
  }
  return 0;
}

export async function setRoles(client: Client, person: string, { role }: RoleOptions, output: Output): Promise<ExitCode> {
  const changed = await client.people.change(person, { grants: role.map(grantOf) });
  output.result(changed, `${changed.email}: ${rolesText(changed)}. This holds from now on.`);
  return 0;
}

export async function removePerson(client: Client, person: string, output: Output): Promise<ExitCode> {
  await client.people.remove(person);
  output.result({ removed: person }, `Removed: ${person}. Their sessions have ended.`);
  return 0;
}

export async function listSessions(client: Client, { json = false }: Json, output: Output): Promise<ExitCode> {
  const { sessions } = await client.sessions.list();
  if (json) output.json({ sessions });
  else if (sessions.length === 0) output.note('No session is open.');
  else {
    const rows = sessions.map(({ id, person, way, lastSeenAt, endsAt, address, browser }) => [
      person ?? 'operator’s secret',
      way,
      clockTime(lastSeenAt),
      address,
      browser.slice(0, 40),
      clockTime(endsAt),
      id,
    ]);
    const titles = ['who', 'by', 'seen', 'from', 'browser', 'ends', 'session'].map((title) => ({ title }));
    output.out(tableText(titles, rows, output.color));
  }
  return 0;
}

export async function endSession(client: Client, id: string, output: Output): Promise<ExitCode> {
  await client.sessions.end(id);
  output.result({ ended: id }, 'Ended. Its next request is refused.');
  return 0;
}

export async function signIn(client: Client, output: Output): Promise<ExitCode> {
  const link = await client.session.link();
  output.result(link, link.url);
  return 0;
}
