import type { Client } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { changesText } from './changes.js';

export async function listEditions(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { editions } = await client.editions.list();
  if (json) output.json({ editions });
  else
    output.out(
      tableText(
        [{ title: 'edition', right: true }, { title: 'published' }, { title: 'files', right: true }, { title: 'hash' }, { title: '' }],
        editions.map((edition) => [
          String(edition.number),
          edition.createdAt,
          String(edition.files),
          edition.hash.slice(0, 12),
          edition.inUse ? output.color.green('in use') : '',
        ]),
        output.color,
      ),
    );
  return 0;
}

function numberOf(text: string): number {
  if (!/^\d+$/.test(text)) throw new UsageError(`"${text}" is not a valid edition number.`, 'verbalis editions list shows them.');
  return Number(text);
}

export async function showEdition(client: Client, number: string, output: Output): Promise<ExitCode> {
  const edition = await client.editions.get(numberOf(number));
  output.result(
    edition,
    Object.entries(edition.manifest)
      .map(([path, hash]) => `${hash.slice(0, 12)}  ${path}`)
      .join('\n'),
  );
  return 0;
}

export async function useEdition(client: Client, number: string, output: Output): Promise<ExitCode> {
  const edition = await client.editions.use({ number: numberOf(number) });
  output.result(edition, `Edition ${edition.number} is in use.`);
  return 0;
}

export async function promoteEdition(
  client: Client,
  number: string,
  { from, to, fromKey, json = false }: { readonly from: string; readonly to: string; readonly fromKey?: string; readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const wanted = numberOf(number);
  const answer = await client.editions.promote({ number: wanted, from, ...(fromKey === undefined ? {} : { fromKey }) });
  const { edition, changes } = answer;
  if (json) output.json(answer);
  else if (changes.length === 0)
    output.out(`Edition ${edition?.number ?? 0} of ${to}, which is in use, is the same as edition ${wanted} of ${from}.`);
  else
    output.out(
      `${changesText(changes, output)}\nEdition ${wanted} of ${from} is edition ${edition?.number ?? 0} of ${to} now, and in use (${(edition?.hash ?? '').slice(0, 12)}).`,
    );
  return 0;
}
