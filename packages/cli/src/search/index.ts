import { type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, only, type Remote } from '../command.js';
import type * as Commands from './search.js';

const load = (): Promise<typeof Commands> => import('./search.js');

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  example(
    remote(root.command('search <text>').description('track: search a space by address, id, reference, subject, domain or code')),
    'verbalis search asa@post.example',
    'verbalis search 5.1.1',
    'verbalis search "your tickets"',
  ).action((text: string, options: Remote) => run(async (output) => (await load()).search(connect(options), text, only(options), output)));
}
