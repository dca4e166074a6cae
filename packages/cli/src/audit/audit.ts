import type { AuditEntry, Client } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

export interface AuditOptions {
  readonly service?: boolean;
  readonly who?: string;
  readonly action?: string;
  readonly target?: string;
  readonly from?: string;
  readonly to?: string;
  readonly limit?: string;
  readonly cursor?: string;
  readonly json?: boolean;
}

function instantOf(text: string): string {
  const at = Date.parse(text);
  if (Number.isNaN(at)) throw new UsageError(`"${text}" is not a time.`, 'Write 2026-11-01 or 2026-11-01T18:00:00Z.');
  return new Date(at).toISOString();
}

const MOST_SHOWN = 60;

function changeText(change: AuditEntry['change']): string {
  if (change === undefined) return '';
  const text = JSON.stringify(change);
  return text.length > MOST_SHOWN ? `${text.slice(0, MOST_SHOWN)}…` : text;
}

/** Who did what. */
export async function audit(client: Client, options: AuditOptions, output: Output): Promise<ExitCode> {
  const { service = false, json = false, who, action, target, from, to, limit, cursor } = options;
  const filter = {
    ...(service ? { of: 'service' as const } : {}),
    ...(who === undefined ? {} : { who }),
    ...(action === undefined ? {} : { action }),
    ...(target === undefined ? {} : { target }),
    ...(from === undefined ? {} : { from: instantOf(from) }),
    ...(to === undefined ? {} : { to: instantOf(to) }),
  };
  const page = await client.audit.list({
    ...filter,
    ...(limit === undefined ? {} : { limit: Number(limit) }),
    ...(cursor === undefined ? {} : { cursor }),
  });
  if (json) output.json(page);
  else if (page.entries.length === 0) output.note('There are no entries.');
  else {
    const rows = page.entries.map(({ at, who: actor, action: done, space, target: what, change, address }) => [
      clockTime(at),
      actor.name,
      done,
      space ?? '',
      what ?? '',
      changeText(change),
      address,
    ]);
    const titles = ['when', 'who', 'did', 'space', 'to', 'change', 'from'].map((title) => ({ title }));
    output.out(tableText(titles, rows, output.color));
    if (page.nextCursor !== undefined) output.note(`There are more: --cursor ${page.nextCursor}`);
  }
  return 0;
}
