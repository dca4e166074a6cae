import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';
import { bytesText } from '../words.js';

/** Backups that the service makes automatically. @returns 1 when the last one failed */
export async function listBackups(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const list = await client.backups.list();
  if (json) output.json(list);
  else if (list.folder === undefined) output.note('None are made: backup.folder is not set.');
  else if (list.backups.length === 0) output.note(`There are none in ${list.folder} yet.`);
  else
    output.out(
      tableText(
        [{ title: 'as of' }, { title: 'size', right: true }, { title: 'file' }],
        list.backups.map(({ asOf, bytes, file }) => [asOf, bytesText(bytes), file]),
        output.color,
      ),
    );
  if (list.problem !== undefined && !json) output.note(`${output.color.red('✗')} ${list.problem}`);
  return list.problem === undefined ? 0 : 1;
}

export async function makeBackup(client: Client, output: Output): Promise<ExitCode> {
  const made = await client.backups.add();
  output.result(made, `${made.file} (${bytesText(made.bytes)})`);
  return 0;
}
