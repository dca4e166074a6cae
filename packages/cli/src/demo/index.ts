import { type Command } from 'commander';
import { type Making } from '../command.js';
import { demo } from './demo.js';

/** Commands of this feature. */
export function define(root: Command, { run, example }: Making): void {
  example(
    root
      .command('demo')
      .description('the whole thing with made-up data')
      .option('--once', 'show the outcome and end: 0 when all came out as scripted')
      .option('--dir <folder>', 'where its database goes (.demo)'),
    'verbalis demo --once',
  ).action((options: Parameters<typeof demo>[0]) => run((output) => demo(options, output)));
}
