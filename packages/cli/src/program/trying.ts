import { Option, type Command } from 'commander';
import type { clearCaptured, listCaptured, showCaptured, simulate, waitForCaptured } from '../commands/captured.js';
import type { PreviewOptions } from '../commands/preview.js';
import { connect } from '../connection.js';
import { only, type Making, type Remote } from './shared.js';

/** Commands of trying things: the local preview, and captured mail. */
export function tryingCommands(root: Command, { run, remote, example }: Making): void {
  example(
    remote(
      root
        .command('preview <mailfolder>')
        .description('write: see a mail folder on a local page, as you write it')
        .option('--host <host>', 'where it listens', '127.0.0.1')
        .option('--port <port>', 'any free one when 0', '8630')
        .option('--edit', 'let the page write the sources'),
    ),
    'verbalis preview demo/mail',
    'verbalis preview demo/mail --edit --url http://127.0.0.1:8620 --key KEY   (can send tests)',
  ).action((folder: string, { url, key, space, ...options }: Remote & PreviewOptions) =>
    run(async (output) => {
      const hasKey = (key ?? process.env['VERBALIS_KEY']) !== undefined;
      const connection = hasKey
        ? { client: connect({ url, key, space }), url: url ?? process.env['VERBALIS_URL'] ?? 'http://127.0.0.1:8620' }
        : undefined;
      return (await import('../commands/preview.js')).preview(folder, options, connection, output);
    }),
  );

  const captured = root.command('captured').description('try: mail that was kept instead of being sent');
  const filters = (command: Command): Command =>
    command
      .option('--to <address>', 'of the recipient')
      .option('--subject <words>', 'in its subject')
      .option('--find <words>', 'anywhere in it');
  const parts = (command: Command): Command =>
    command
      .addOption(new Option('--part <part>', 'one part of it').choices(['text', 'html', 'source', 'links', 'code']))
      .option('--save <file>', 'write its bytes to a file');
  example(
    remote(
      filters(captured.command('list').description('newest first'))
        .option('--limit <n>', 'mails a page (50)')
        .option('--cursor <cursor>', 'the next page'),
    ),
    'verbalis captured list --to asa@post.example',
  ).action((options: Remote & Parameters<typeof listCaptured>[1]) =>
    run(async (output) => (await import('../commands/captured.js')).listCaptured(connect(options), only(options), output)),
  );
  example(
    remote(parts(captured.command('show <mail>').description('one mail, or a part of it'))),
    'verbalis captured show l01k… --part html',
  ).action((id: string, options: Remote & Parameters<typeof showCaptured>[2]) =>
    run(async (output) => (await import('../commands/captured.js')).showCaptured(connect(options), id, only(options), output)),
  );
  example(
    remote(
      parts(
        filters(captured.command('wait').description('wait for a mail; ends with 1 when none comes'))
          .option('--seconds <n>', 'how long', '10')
          .option('--after <time>', 'only what comes from then on; "now"'),
      ),
    ),
    'verbalis captured wait --to asa@post.example --part code',
  ).action((options: Remote & Parameters<typeof waitForCaptured>[1]) =>
    run(async (output) => (await import('../commands/captured.js')).waitForCaptured(connect(options), only(options), output)),
  );
  example(
    remote(filters(captured.command('clear').description('take captured mail away: all, or what fits'))),
    'verbalis captured clear --to asa@post.example',
  ).action((options: Remote & Parameters<typeof clearCaptured>[1]) =>
    run(async (output) => (await import('../commands/captured.js')).clearCaptured(connect(options), only(options), output)),
  );
  example(
    remote(
      captured
        .command('simulate <mail> <fate>')
        .description('let something become of it: delivered, delayed, bounced, complained, opened, clicked')
        .option('--cause <cause>', 'why it bounced or waits')
        .option('--link <address>', 'the link that was clicked'),
    ),
    'verbalis captured simulate l01k… bounced --cause mailbox-full',
  ).action((id: string, fate: string, options: Remote & Parameters<typeof simulate>[3]) =>
    run(async (output) => (await import('../commands/captured.js')).simulate(connect(options), id, fate, only(options), output)),
  );
}
