import { type Command } from 'commander';
import { type Making } from '../command.js';
import { UsageError } from '../output.js';
import { demo } from './demo.js';

/** Commands of this feature. */
export function define(root: Command, { run, example }: Making): void {
  example(
    root
      .command('demo')
      .description('run everything with made-up data')
      .option('--once', 'show the outcome and end: 0 when all came out as scripted')
      .option('--dir <folder>', 'where its database goes (.demo)')
      .option('--port <port>', 'the first of its 13 ports (8620)')
      .option('--keep', 'go on with the data of the demo before')
      .option('--no-weeks', 'without the made-up weeks before: ready in seconds, with less to look at')
      .option('--cluster', 'a cluster of two nodes whose primary is killed instead (needs nats-server); it ends when this is done')
      .option('--stay', 'with --cluster: go on until Ctrl+C, to look at it'),
    'verbalis demo --once',
    'verbalis demo --dir /tmp/second --port 18620',
    'verbalis demo --cluster --stay',
  ).action((options: Parameters<typeof demo>[0] & { cluster?: boolean; stay?: boolean }) =>
    run(async (output) => {
      if (options.cluster === true) return (await import('./cluster.js')).demoCluster(options, output);
      if (options.stay === true) throw new UsageError('--stay needs --cluster.', 'Without it the demo goes on until Ctrl+C anyway.');
      return demo(options, output);
    }),
  );
}
