import { restoreDatabase, type Restored, type RestoreSource } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { UsageError, type ExitCode, type Output } from '../output.js';

export interface RestoreCommand {
  readonly from?: string;
  readonly at?: string;
  readonly to?: string;
  readonly replace?: boolean;
  readonly config?: string;
  readonly json?: boolean;
}

function sourceOf(backup: string | undefined, { from, at }: RestoreCommand): RestoreSource {
  if ((backup === undefined) === (from === undefined))
    throw new UsageError('Name a backup, or a folder of continuous copies with --from.', 'verbalis restore --help has examples.');
  if (backup !== undefined) {
    if (at !== undefined) throw new UsageError('--at needs continuous copies (--from): a backup is of one moment.');
    return { backup };
  }
  const time = at === undefined ? undefined : Date.parse(at);
  if (time !== undefined && Number.isNaN(time)) throw new UsageError(`"${at ?? ''}" is not a time.`, 'Write 2026-11-28T17:00:00Z.');
  return { folder: from ?? '', at: time };
}

const count = (n: number, what: string, many = `${what}s`): string => `${n} ${n === 1 ? what : many}`;

/** What a restore has done, and what it could not bring back. */
function restoredText({ file, from, asOf, records, replaced, missing, erased, held }: Restored): string {
  const waiting = Object.values(held).reduce((sum, n) => sum + n, 0);
  const spaces = Object.entries(held).map(([space, n]) => `${space}: ${n}`);
  return [
    `${file} was restored as of ${new Date(asOf).toISOString()}.`,
    `  from      ${from}${records > 0 ? `, and ${count(records, 'group')} of changes after it` : ''}`,
    `  missing   what was accepted after that date${missing === undefined ? '' : `: ${count(missing, 'message')} of the database that it replaces`}`,
    ...(replaced === undefined ? [] : [`  replaced  the former database is now ${replaced}`]),
    ...(erased > 0 ? [`  erased    ${count(erased, 'address', 'addresses')} again, by the ledger of erasures`] : []),
    waiting === 0
      ? '  held      nothing: nothing waited'
      : `  held      ${count(waiting, 'delivery', 'deliveries')} (${spaces.join(', ')}): they may have been sent after that date`,
    ...(waiting === 0
      ? []
      : ['', 'Start the service, then: verbalis queue held · verbalis queue release HOLD · verbalis queue cancel --hold HOLD --all --yes']),
  ].join('\n');
}

/** Makes the database from a copy; what waited in it is held. */
export async function restore(backup: string | undefined, options: RestoreCommand, output: Output): Promise<ExitCode> {
  const source = sourceOf(backup, options);
  const { to, replace } = options;
  const restored = await restoreDatabase({
    config: readConfig(options.config, process.env),
    operatorSecret: process.env['VERBALIS_OPERATOR_SECRET'],
    source,
    to,
    ...(replace === undefined ? {} : { replace }),
  });
  output.result({ ...restored, asOf: new Date(restored.asOf).toISOString() }, restoredText(restored));
  return 0;
}
