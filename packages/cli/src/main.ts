import { existsSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { RefusedError, UnreachableError } from '@verbalis/client';
import type { StartError } from '@verbalis/service';
import { Command, CommanderError, Option } from 'commander';
import type { Action, Define, Making } from './command.js';
import { processOutput, UsageError, type ExitCode, type Output } from './output.js';

/** A feature's commands: as the list of all commands shows them, and where they are. Only what is called is loaded. */
interface FeatureCommands {
  readonly commands: readonly (readonly [usage: string, description: string])[];
  readonly load: () => Promise<{ readonly define: Define }>;
}

/** The version, as the package has it. */
function versionOf(): string {
  const file = fileURLToPath(new URL('../package.json', import.meta.url));
  return (JSON.parse(readFileSync(file, 'utf8')) as { readonly version: string }).version;
}

/** Everything the command line can do, in the order of the work. */
const FEATURES: readonly FeatureCommands[] = [
  {
    commands: [
      ['init <folder>', 'write: make a small mail folder that works'],
      ['types <mailfolder>', 'write: TypeScript types of every template’s data'],
      ['check [mailfolder]', 'write: find what is wrong in a mail folder, or in a configuration'],
      ['render <mailfolder> <template>', 'write: render an email from a sample or from data'],
      ['preview <mailfolder>', 'write: see a mail folder on a local page, as you write it'],
    ],
    load: () => import('./workbench/index.js'),
  },
  {
    commands: [
      ['capture', 'try: capture what apps on this machine send'],
      ['captured', 'try: email that was captured instead of being sent'],
    ],
    load: () => import('./capture/index.js'),
  },
  {
    commands: [
      ['send [template]', 'send: send a message'],
      ['cancel <message>', 'send: cancel what has not been sent yet'],
    ],
    load: () => import('./messages/index.js'),
  },
  {
    commands: [
      ['publish <mailfolder>', 'send: check a mail folder and make it the space’s edition'],
      ['editions', 'send: publications of a space'],
    ],
    load: () => import('./editions/index.js'),
  },
  {
    commands: [
      ['signal [type]', 'send: say what has happened; the rules of the mail folder say which emails follow'],
      ['signals', 'send: what happened, and what followed from it'],
    ],
    load: () => import('./signals/index.js'),
  },
  { commands: [['bulk-sends', 'send: one template to many recipients']], load: () => import('./bulk-sends/index.js') },
  {
    commands: [['schedules', 'send: one template to many, at times that come again']],
    load: () => import('./schedules/index.js'),
  },
  { commands: [['permits', 'send: emails that a browser may ask for']], load: () => import('./permits/index.js') },
  { commands: [['queue', 'send: deliveries that wait']], load: () => import('./queue/index.js') },
  { commands: [['messages', 'track: messages and their timelines']], load: () => import('./messages/index.js') },
  {
    commands: [['find <text>', 'track: everything of a space by an address, an id, a reference, a subject, a domain, a code']],
    load: () => import('./search/index.js'),
  },
  { commands: [['returns', 'track: whatever came back']], load: () => import('./returns/index.js') },
  { commands: [['inbound', 'track: what people write to you']], load: () => import('./inbound/index.js') },
  { commands: [['suppressions', 'track: addresses that get no more mail']], load: () => import('./suppressions/index.js') },
  { commands: [['consents', 'track: which topics an address wants']], load: () => import('./consent/index.js') },
  { commands: [['address', 'track: everything that is known about one address']], load: () => import('./addresses/index.js') },
  { commands: [['subscriptions', 'track: where events are sent, signed']], load: () => import('./webhooks/index.js') },
  { commands: [['events', 'track: events, newest first']], load: () => import('./events/index.js') },
  {
    commands: [['engagement', 'track: which links were followed and how often pictures were loaded']],
    load: () => import('./engagement/index.js'),
  },
  { commands: [['figures', 'track: how many, how they ended, how long it took']], load: () => import('./figures/index.js') },
  { commands: [['alerts', 'track: rules over rates and counts, and their alerts']], load: () => import('./alerts/index.js') },
  { commands: [['quarantine', 'track: items that could not be processed, and wait for you']], load: () => import('./quarantine/index.js') },
  {
    commands: [
      ['serve', 'set up: run the service'],
      ['reload', 'set up: let a running service read its configuration again'],
      ['backup <file>', 'set up: copy the database, also of a running service'],
      ['backups', 'set up: backups that the service makes by itself'],
      ['copies', 'set up: continuous copies, and how far they are'],
      ['restore [backup]', 'set up: make the database from a backup, or from continuous copies'],
      ['integrity [file]', 'set up: look through a database for what is wrong'],
      ['prove', 'set up: kill a service under load, and hold what it says against what was received'],
    ],
    load: () => import('./service/index.js'),
  },
  { commands: [['providers', 'set up: what email is sent through']], load: () => import('./providers/index.js') },
  { commands: [['domains', 'set up: sending domains, their keys, and what the DNS must say']], load: () => import('./domains/index.js') },
  {
    commands: [['senders', 'set up: addresses that a space sends as, and what their owners have agreed to']],
    load: () => import('./senders/index.js'),
  },
  { commands: [['keys', 'set up: keys of a space']], load: () => import('./keys/index.js') },
  {
    commands: [
      ['people', 'set up: who may sign in, and what they may do'],
      ['sign-in', 'set up: a link that opens the console, once and within 15 minutes'],
    ],
    load: () => import('./people/index.js'),
  },
  { commands: [['audit', 'set up: who did what']], load: () => import('./audit/index.js') },
  { commands: [['doctor', 'set up: what is missing or risky']], load: () => import('./doctor/index.js') },
  { commands: [['demo', 'the whole thing with made-up data']], load: () => import('./demo/index.js') },
];

function remote(command: Command): Command {
  return command
    .addOption(new Option('--url <url>', 'the service (VERBALIS_URL; http://127.0.0.1:8620 when left out)'))
    .addOption(new Option('--key <key>', 'a key of a space (VERBALIS_KEY)'))
    .addOption(new Option('--key-file <file>', 'a file that holds the key'))
    .addOption(new Option('--space <space>', 'the space, with the operator’s secret (VERBALIS_SPACE)'))
    .option('--json', 'for machines');
}

/** The options of `remote`. */
const REMOTE = ['url', 'key', 'keyFile', 'space', 'json'];

/**
 * Gives a command what was said to those above it: `queue hold --space x` is read by `queue`, which has the option too. Without this the space
 * would be ignored without a word.
 */
function handDown(action: Command): void {
  for (let above = action.parent; above !== null; above = above.parent)
    for (const name of REMOTE) {
      const value: unknown = above.getOptionValue(name);
      if (value !== undefined && action.getOptionValue(name) === undefined) action.setOptionValue(name, value);
    }
}

function example(command: Command, ...lines: string[]): Command {
  return command.addHelpText('after', `\nFor example\n${lines.map((line) => `  ${line}`).join('\n')}\n`);
}

/** The command line, with the commands of one feature loaded and the others named. */
async function program(called: string | undefined, run: (action: Action) => Promise<void>): Promise<Command> {
  const root = new Command('verbalis')
    .description('Write transactional email as files, try it, send it, and track it.')
    .version(versionOf())
    .showHelpAfterError('(--help shows how it is used)')
    .showSuggestionAfterError(true);
  root.hook('preAction', (_root, action) => {
    handDown(action);
  });
  const making: Making = { run, remote, example };
  const loaded = new Command();
  for (const { commands, load } of FEATURES) {
    const names = commands.map(([usage]) => usage.split(' ')[0]);
    if (called !== undefined && names.includes(called)) (await load()).define(loaded, making);
    for (const [usage, description] of commands) {
      const [name = '', ...given] = usage.split(' ');
      const own = loaded.commands.find((command) => command.name() === name);
      root.addCommand(own ?? given.reduce((command, argument) => command.argument(argument), new Command(name)).description(description));
    }
  }
  return root;
}

function refusedText({ problem: { title, detail, hint, problems } }: RefusedError, { color }: Output): string {
  const lines = [`${color.red('✗')} ${title}${detail === undefined || problems !== undefined ? '' : `. ${detail}`}`];
  for (const { path, message, hint: more } of problems ?? [])
    lines.push(`  ${color.bold(path)} ${message}${more === undefined ? '' : `. ${color.cyan(more)}`}`);
  if (hint !== undefined) lines.push(`  ${color.cyan(hint)}`);
  return lines.join('\n');
}

function explain(error: unknown, output: Output): ExitCode {
  const { color } = output;
  if (error instanceof UsageError) {
    output.note(`${color.red('✗')} ${error.message}${error.hint === undefined ? '' : `\n  ${error.hint}`}`);
    return 2;
  }
  if (error instanceof UnreachableError) {
    output.note(`${color.red('✗')} ${error.message}\n  Start it with: verbalis serve; or set VERBALIS_URL.`);
    return 3;
  }
  if (error instanceof RefusedError) {
    output.note(refusedText(error, output));
    return 1;
  }
  // The service is loaded by the commands that need it; its errors are known by their name here.
  if (error instanceof Error && error.name === 'StartError') {
    const { hint } = (error as Error & Pick<StartError, 'more'>).more;
    output.note(`${color.red('✗')} ${error.message}${hint === undefined ? '' : `\n  ${hint}`}`);
    return 2;
  }
  if (error instanceof Error && ['EMFILE', 'ENFILE'].includes((error as NodeJS.ErrnoException).code ?? '')) {
    const raise = 'Raise the limit: ulimit -n 4096, or LimitNOFILE=4096 in a systemd unit.';
    output.note(`${color.red('✗')} This process may not open enough files.\n  ${raise}`);
    return 2;
  }
  output.note(`${color.red('✗')} ${error instanceof Error ? (error.stack ?? error.message) : String(error)}`);
  return 1;
}

/** Runs the command line. @returns the exit code */
export async function main(args: readonly string[]): Promise<ExitCode> {
  const output = processOutput();
  // Whoever reads has read enough: verbalis alerts | head.
  for (const stream of [process.stdout, process.stderr])
    stream.on('error', (error: NodeJS.ErrnoException) => {
      if (error.code !== 'EPIPE') throw error;
      process.exit(0);
    });
  if (existsSync('.env')) process.loadEnvFile('.env');
  let code: ExitCode = 0;
  const called = args.find((arg) => !arg.startsWith('-') && arg !== 'help');
  const root = await program(called, async (action) => {
    try {
      code = await action(output);
    } catch (error) {
      code = explain(error, output);
    }
  });
  const settle = (command: Command): void => {
    command.exitOverride();
    command.commands.forEach(settle);
  };
  settle(root);
  try {
    await root.parseAsync([...args], { from: 'user' });
  } catch (error) {
    if (!(error instanceof CommanderError)) throw error;
    return error.exitCode === 0 ? 0 : 2;
  }
  return code;
}
