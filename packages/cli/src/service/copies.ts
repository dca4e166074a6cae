import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';
import { bytesText } from '../words.js';

type Status = Awaited<ReturnType<Client['copies']['get']>>;

const STATES: Readonly<Record<Status['state'], string>> = {
  off: 'Nothing is copied: copies.folder is not set.',
  'first-snapshot': 'The first snapshot is not finished: nothing can be restored yet.',
  copying: 'Every change is copied.',
  behind: 'The copies are behind.',
};

/** How far the continuous copies are. @returns 1 where a loss of the disk would cost more than a moment */
export async function copiesStatus(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const status = await client.copies.get();
  const isGood = status.state === 'copying' && status.problem === undefined;
  if (json) {
    output.json(status);
    return isGood ? 0 : 1;
  }
  const { color } = output;
  output.out(`${isGood ? color.green('✓') : color.red('✗')} ${STATES[status.state]}`);
  if (status.folder !== undefined)
    output.out(`folder    ${status.folder}\nbehind    ${status.behind} groups of changes, ${status.lagSeconds} s`);
  if (status.problem !== undefined) output.out(`problem   ${status.problem}`);
  if (status.onSameDisk) output.out('warning   The folder is on the same disk as the database: if the disk is lost, both are.');
  if (status.snapshotUnderWay) output.out('A snapshot is being taken.');
  if (status.snapshots.length > 0)
    output.out(
      `\n${tableText(
        [{ title: 'snapshot as of' }, { title: 'size', right: true }, { title: 'sequence', right: true }, { title: 'file' }],
        status.snapshots.map(({ asOf, bytes, sequence, file }) => [asOf, bytesText(bytes), String(sequence), file]),
        color,
      )}`,
    );
  return isGood ? 0 : 1;
}

export async function takeSnapshot(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { begun } = await client.copies.snapshot();
  if (json) output.json({ begun });
  else
    output.out(begun ? 'A snapshot is being taken: verbalis copies status shows when it is there.' : 'A snapshot is being taken already.');
  return 0;
}

export async function beginCopies(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { folder } = await client.copies.begin();
  if (json) output.json({ folder });
  else output.out(`The copies in ${folder} start again: verbalis copies status shows when the first snapshot is complete.`);
  return 0;
}
