import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

interface Json {
  readonly json?: boolean;
}

/** Items that could not be processed. @returns 1 when there are any */
export async function listQuarantine(
  client: Client,
  { json, limit }: Json & { readonly limit?: string },
  output: Output,
): Promise<ExitCode> {
  const { items, nextCursor } = await client.quarantine.list(limit === undefined ? {} : { limit: Number(limit) });
  if (json === true) output.json({ items, nextCursor });
  else if (items.length === 0) output.note('Nothing is in quarantine.');
  else {
    output.out(
      tableText(
        [{ title: 'item' }, { title: 'since' }, { title: 'worker' }, { title: 'space' }, { title: 'what' }, { title: 'error' }],
        items.map((item) => [
          item.id,
          clockTime(item.quarantinedAt),
          item.worker,
          item.space ?? '',
          item.title,
          item.error.split('\n')[0] ?? '',
        ]),
        output.color,
      ),
    );
    output.note('verbalis quarantine retry ITEM puts one back; verbalis quarantine drop ITEM removes it.');
    if (nextCursor !== undefined) output.note('There are more: --limit 200');
  }
  return items.length > 0 ? 1 : 0;
}

/** One item with its error, where it arose, and what is needed to try it again. */
export async function showQuarantined(client: Client, id: string, { json }: Json, output: Output): Promise<ExitCode> {
  const item = await client.quarantine.get(id);
  if (json === true) {
    output.json(item);
    return 0;
  }
  const { color } = output;
  output.out(`${item.title}\n${color.red(item.error)}\n`);
  output.out(`worker   ${item.worker}\nspace    ${item.space ?? '(nobody’s)'}\nsince    ${clockTime(item.quarantinedAt)}\n`);
  output.json(item.payload);
  if (item.stack !== '') output.out(`\n${color.dim(item.stack)}`);
  return 0;
}

export async function retryQuarantined(client: Client, ids: readonly string[], output: Output): Promise<ExitCode> {
  for (const id of ids) {
    const { title } = await client.quarantine.retry(id);
    output.note(`Tried again: ${title}.`);
  }
  return 0;
}

export async function dropQuarantined(client: Client, ids: readonly string[], output: Output): Promise<ExitCode> {
  for (const id of ids) {
    await client.quarantine.drop(id);
    output.note(`Dropped: ${id}.`);
  }
  return 0;
}
