import type { Client, NewPermit, PermitView } from '@verbalis/client';
import { readJson } from '../json-file.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

export interface AddOptions {
  readonly to?: string[];
  readonly toIdentity?: boolean;
  readonly data?: string;
  readonly mayAdd?: string;
  readonly times?: string;
  readonly minutes?: string;
  readonly locale?: string;
  readonly reference?: string;
  readonly json?: boolean;
}
export interface ListOptions {
  readonly limit?: string;
  readonly cursor?: string;
  readonly json?: boolean;
}

const SIGNS: Readonly<Record<PermitView['state'], readonly [string, 'green' | 'dim' | 'red']>> = {
  open: ['●', 'green'],
  used: ['○', 'dim'],
  expired: ['–', 'dim'],
  revoked: ['✗', 'red'],
};

function recipientsText(to: PermitView['to']): string {
  if (to === 'identity') return 'who is signed in';
  return to.map((recipient) => (typeof recipient === 'string' ? recipient : recipient.address)).join(', ');
}

/** Makes a permit, and prints it. */
export async function addPermit(client: Client, template: string, options: AddOptions, output: Output): Promise<ExitCode> {
  const { to, toIdentity = false, data, mayAdd, times, minutes, locale, reference, json = false } = options;
  if ((to === undefined) === !toIdentity) throw new UsageError('Name the recipient of the email.', '--to ADDRESS …, or --to-identity.');
  const wanted: NewPermit = {
    template,
    to: to ?? 'identity',
    times: times === undefined ? 1 : Number(times),
    minutes: minutes === undefined ? 15 : Number(minutes),
    ...(data === undefined ? {} : { data: readJson(data) as Record<string, unknown> }),
    ...(mayAdd === undefined ? {} : { mayAdd: readJson(mayAdd) as Record<string, unknown> }),
    ...(locale === undefined ? {} : { locale }),
    ...(reference === undefined ? {} : { reference }),
  };
  const made = await client.permits.add(wanted);
  if (json) output.json(made);
  else {
    output.out(made.permit);
    output.note(
      `${made.id} can be used ${made.times === 1 ? 'once' : `${made.times} times`} until ${clockTime(made.expiresAt)}; it is not shown again.`,
    );
  }
  return 0;
}

export async function listPermits(client: Client, { limit, cursor, json = false }: ListOptions, output: Output): Promise<ExitCode> {
  const page = await client.permits.list({
    ...(limit === undefined ? {} : { limit: Number(limit) }),
    ...(cursor === undefined ? {} : { cursor }),
  });
  if (json) output.json(page);
  else if (page.permits.length === 0) output.note('There are no permits.');
  else
    output.out(
      tableText(
        [
          { title: 'made' },
          { title: 'state' },
          { title: 'used', right: true },
          { title: 'until' },
          { title: 'template' },
          { title: 'to' },
          { title: 'permit' },
        ],
        page.permits.map(({ id, createdAt, state, used, times, expiresAt, template, to }) => [
          clockTime(createdAt),
          output.color[SIGNS[state][1]](`${SIGNS[state][0]} ${state}`),
          `${used}/${times}`,
          clockTime(expiresAt),
          template,
          recipientsText(to),
          output.color.dim(id),
        ]),
        output.color,
      ),
    );
  if (!json && page.nextCursor !== undefined) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export async function revokePermit(client: Client, id: string, output: Output): Promise<ExitCode> {
  await client.permits.revoke(id);
  output.out(`${id} can no longer be used.`);
  return 0;
}
