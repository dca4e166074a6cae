import { type Command } from 'commander';
import { connect } from '../connection.js';
import { confirmed, only, type Making, type Remote } from '../command.js';
import type * as Commands from './bulk-sends.js';

const load = (): Promise<typeof Commands> => import('./bulk-sends.js');

/** Commands of this feature. */
export function define(root: Command, making: Making): void {
  const { run, remote, paged, example } = making;
  const bulk = root.command('bulk-sends').description('send: send one template to many recipients');

  example(
    remote(
      bulk
        .command('start <template>')
        .description('send a template to many recipients')
        .option('--file <file>', 'recipients: NDJSON, or CSV with a header line')
        .option('--source <url>', 'an address of yours that gives recipients page by page')
        .option('--to <address...>', 'recipients')
        .option('--data <file>', 'JSON data that all have in common')
        .option('--name <text>', 'as people know it')
        .option('--reference <text>', 'your own name for what it is about')
        .option('--locale <tag>', 'BCP 47 tag')
        .option('--per-minute <n>', 'so many recipients a minute')
        .option('--first <n>', 'only the first: a test run')
        .option('--essential', 'of an essential topic, which recipients cannot unsubscribe from')
        .option('--wait', 'show how it goes until it ends; exits with 1 if it failed or was canceled'),
    ),
    'verbalis bulk-sends start pier-bulletin --file recipients.csv --data bulletin.json --first 10 --wait',
  ).action((template: string, options: Remote & Commands.StartOptions) =>
    run(async (output) => (await load()).startBulk(connect(options), template, only(options), output)),
  );

  example(paged(bulk.command('list').description('list bulk sends, newest first')), 'verbalis bulk-sends list').action(
    (options: Remote & { limit?: string; cursor?: string }) =>
      run(async (output) => (await load()).listBulk(connect(options), only(options), output)),
  );

  example(
    remote(
      bulk
        .command('show <bulk-send>')
        .description('show a bulk send, the states of its deliveries and refused recipients')
        .option('--wait', 'until it ends'),
    ),
    'verbalis bulk-sends show p01k…',
  ).action((id: string, options: Remote & { wait?: boolean }) =>
    run(async (output) => (await load()).showBulk(connect(options), id, only(options), output)),
  );

  example(
    paged(bulk.command('refused <bulk-send>').description('list refused recipients with the reason')),
    'verbalis bulk-sends refused p01k…',
  ).action((id: string, options: Remote & { limit?: string; cursor?: string }) =>
    run(async (output) => (await load()).listRefused(connect(options), id, only(options), output)),
  );
  defineMoves(bulk, making);
}

function defineMoves(bulk: Command, { run, remote, example }: Making): void {
  for (const [action, description] of [
    ['pause', 'stop reading recipients; accepted messages are sent'],
    ['resume', 'continue where it stopped'],
    ['cancel', 'end it and cancel what waits'],
  ] as const)
    example(
      remote(
        action === 'cancel'
          ? bulk.command('cancel <bulk-send>').description(description).option('--yes', 'do not ask')
          : bulk.command(`${action} <bulk-send>`).description(description),
      ),
      `verbalis bulk-sends ${action} p01k…`,
    ).action((id: string, options: Remote & { yes?: boolean }) =>
      run(async (output) => {
        if (action === 'cancel' && !(await confirmed(`Cancel ${id} and everything of it that waits?`, options, output))) return 1;
        return (await load()).moveBulk(connect(options), { id, action }, output);
      }),
    );

  example(
    remote(bulk.command('secret').description('print the secret that signs requests for recipients (Standard Webhooks)')),
    'verbalis bulk-sends secret',
  ).action((options: Remote) => run(async (output) => (await load()).sourceSecret(connect(options), output)));
}
