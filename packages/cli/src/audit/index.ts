import { type Command } from 'commander';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from '../command.js';
import type * as Commands from './audit.js';

const load = (): Promise<typeof Commands> => import('./audit.js');

/** Commands of this feature. */
export function define(root: Command, { run, paged, example }: Making): void {
  example(
    paged(
      root
        .command('audit')
        .description('set up: show the audit log')
        .option('--service', 'all spaces, and what concerns the whole service; with the operator’s secret')
        .option('--who <who>', 'the address of a person, the name of a key, or an id')
        .option('--action <action>', '"keys.revoke", or "keys." for all that begin so')
        .option('--target <id>', 'what it was done to')
        .option('--from <when>', 'an instant or a date')
        .option('--to <when>', 'an instant or a date, not included'),
    ),
    'verbalis audit --space harbour --who ines.roth@saltmarsh-ferries.example',
    'verbalis audit --service --action people. --from 2026-11-01',
    'verbalis audit --service --all --csv > audit.csv',
  ).action((options: Remote & Commands.AuditOptions) =>
    run(async (output) => (await load()).audit(connect(options), only(options), output)),
  );
}
