import type { Client, Key, KeyBounds, KeyMade, NewKey } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

interface Json {
  readonly json?: boolean;
}

const DAY_MS = 24 * 3_600_000;

/** "90d", "2027-03-31" (its end, UTC) or an instant. */
function expiry(text: string): string {
  const days = /^(\d{1,5})d$/.exec(text)?.[1];
  if (days !== undefined) return new Date(Date.now() + Number(days) * DAY_MS).toISOString();
  const at = Date.parse(/^\d{4}-\d\d-\d\d$/.test(text) ? `${text}T23:59:59Z` : text);
  if (Number.isNaN(at)) throw new UsageError(`"${text}" is not a time.`, 'Write 90d, 2027-03-31 or 2027-03-31T18:00:00Z.');
  return new Date(at).toISOString();
}

function made(key: KeyMade, options: Json, note: string, output: Output): ExitCode {
  if (options.json === true) output.json(key);
  else {
    output.out(key.key);
    output.note(`${note} This secret is shown once and kept as a hash only: store it with the app’s secrets.`);
  }
  return 0;
}

/** What of a key's bounds are lists, and how each is shown. */
const LISTS = { templates: 'Templates', topics: 'Topics', senders: 'Senders', recipients: 'Recipients', usedFrom: 'Used from' } as const;
type ListName = keyof typeof LISTS;
const LIST_NAMES = Object.keys(LISTS) as ListName[];

interface AddOptions extends Json, Partial<Readonly<Record<ListName, string>>> {
  readonly scopes: string;
  readonly expires?: string;
  readonly perHour?: string;
}

function entries(list: string): string[] {
  return list.split(',').map((text) => text.trim());
}

function boundsOf(options: AddOptions): KeyBounds {
  const perHour = options.perHour === undefined ? undefined : Number(options.perHour);
  if (perHour !== undefined && !(Number.isInteger(perHour) && perHour > 0))
    throw new UsageError(`"${options.perHour ?? ''}" is not a number of emails.`, 'Write --per-hour 500.');
  const lists = LIST_NAMES.flatMap((name) => {
    const list = options[name];
    return list === undefined ? [] : [[name, entries(list)]];
  });
  return { ...(Object.fromEntries(lists) as KeyBounds), ...(perHour === undefined ? {} : { perHour }) };
}

export async function addKey(client: Client, name: string, options: AddOptions, output: Output): Promise<ExitCode> {
  const scopes = entries(options.scopes) as NewKey['scopes'];
  const bounds = boundsOf(options);
  const key = await client.keys.add({
    name,
    scopes,
    ...(options.expires === undefined ? {} : { expiresAt: expiry(options.expires) }),
    ...(Object.keys(bounds).length === 0 ? {} : { bounds }),
  });
  const until = key.expiresAt === undefined ? '' : ` It ends at ${clockTime(key.expiresAt)}.`;
  return made(key, options, `The key ${key.id} of the space ${key.space}.${until}`, output);
}

export async function listKeys(client: Client, { json = false }: Json, output: Output): Promise<ExitCode> {
  const { keys } = await client.keys.list();
  if (json) {
    output.json({ keys });
    return 0;
  }
  if (keys.length === 0) {
    output.out('No keys. Make one with: verbalis keys add NAME --scopes send,read');
    return 0;
  }
  const rows = keys.map(({ id, name, scopes, start, state, expiresAt, lastUsedAt, lastUsedFrom }) => [
    stateText({ state, expiresAt }, output),
    name,
    `${start}…`,
    scopes.join(', '),
    lastUsedAt === undefined ? 'never' : `${clockTime(lastUsedAt)} from ${lastUsedFrom ?? '?'}`,
    id,
  ]);
  const titles = ['state', 'name', 'secret', 'scopes', 'last used', 'key'].map((title) => ({ title }));
  output.out(tableText(titles, rows, output.color));
  return 0;
}

function stateText({ state, expiresAt }: Pick<Key, 'state' | 'expiresAt'>, { color }: Output): string {
  if (state !== 'active') return color.dim(state);
  return expiresAt === undefined ? color.green('active') : `${color.green('active')} until ${clockTime(expiresAt)}`;
}

export async function showKey(client: Client, id: string, output: Output): Promise<ExitCode> {
  const key = await client.keys.get(id);
  output.result(key, keyText(key, output));
  return 0;
}

function keyText(key: Key, output: Output): string {
  const { color } = output;
  const facts: [string, string | undefined][] = [
    ['State', stateText(key, output)],
    ['Secret', `${key.start}…`],
    ['Scopes', key.scopes.join(', ')],
    ...LIST_NAMES.map((bound): [string, string | undefined] => [LISTS[bound], key.bounds?.[bound]?.join(', ')]),
    ['Emails', key.bounds?.perHour === undefined ? undefined : `at most ${key.bounds.perHour} within an hour`],
    ['Created', clockTime(key.createdAt)],
    ['Revoked', key.revokedAt === undefined ? undefined : clockTime(key.revokedAt)],
    ['Rotated', key.rotatesUntil === undefined ? undefined : `the old secret is valid until ${clockTime(key.rotatesUntil)}`],
    ['Last used', key.lastUsedAt === undefined ? 'never' : `${clockTime(key.lastUsedAt)} from ${key.lastUsedFrom ?? '?'}`],
    ['Key', key.id],
  ];
  const lines = facts.flatMap(([label, value]) => (value === undefined ? [] : [`${color.dim(label.padEnd(10))}  ${value}`]));
  return [color.bold(key.name), ...lines].join('\n');
}

export async function rotateKey(client: Client, id: string, options: { overlap: string } & Json, output: Output): Promise<ExitCode> {
  const overlapHours = Number(options.overlap);
  if (!(overlapHours >= 0)) throw new UsageError(`"${options.overlap}" is not a number of hours.`);
  const key = await client.keys.rotate(id, { overlapHours });
  const before = overlapHours === 0 ? 'The old secret is refused from now on.' : `The old secret is valid for ${overlapHours} more hours.`;
  return made(key, options, before, output);
}

export async function revokeKey(client: Client, id: string, output: Output): Promise<ExitCode> {
  const key = await client.keys.revoke(id);
  output.result(key, `Revoked: ${key.name} (${key.start}…). Requests with it are refused from now on.`);
  return 0;
}
