import { initCluster } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { confirmed } from '../command.js';
import type { ExitCode, Output } from '../output.js';
import { bytesText } from '../words.js';

export interface InitCommand {
  readonly config?: string;
  readonly again?: boolean;
  readonly yes?: boolean;
}

/** Makes a cluster of the database of a configuration. */
export async function initialize({ config: file, again = false, yes = false }: InitCommand, output: Output): Promise<ExitCode> {
  const config = readConfig(file, process.env);
  const { prefix, servers, replicas } = config.settings.cluster;
  if (again && !(await confirmed(`Remove everything of the cluster "${prefix}" from the brokers, and create it again?`, { yes }, output)))
    return 1;
  const operatorSecret = process.env['VERBALIS_OPERATOR_SECRET'];
  const made = await initCluster({ config, operatorSecret }, { again });
  output.line(
    made,
    [
      `The cluster "${prefix}" was made at ${servers.join(', ')}, with ${replicas} ${replicas === 1 ? 'replica' : 'replicas'} of each record.`,
      `It begins with ${made.file} (${bytesText(made.bytes)}).`,
      '',
      'Next:',
      '  1. Start this service as before: it is the primary.',
      '  2. On another machine: the same configuration and secrets file, no database. Start the service: it fetches what it lacks, and is a standby.',
      '  3. verbalis cluster status',
    ].join('\n'),
  );
  return 0;
}
