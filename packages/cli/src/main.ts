import { existsSync } from 'node:fs';
import { Command, CommanderError, Option } from 'commander';
import { type Action, type Define, type Making, wholeNumber } from './command.js';
import { problemOf, problemText, wrongUse } from './failures.js';
import { processOutput, UsageError, type ExitCode, type ProcessOutput } from './output.js';
import { versionOf } from './service/version.js';

/** A feature's commands: as the list of all commands shows them, and where they are. Only what is called is loaded. */
interface FeatureCommands {
  readonly commands: readonly (readonly [usage: string, description: string])[];
  readonly load: () => Promise<{ readonly define: Define }>;
}

/** Everything the command line can do, in the order of the work. */
const FEATURES: readonly FeatureCommands[] = [
  {
    commands: [
      ['init <folder>', 'write: create a small mail folder that works'],
      ['types <mailfolder>', 'write: write types of the data of every template'],
      ['sample <mailfolder> <template>', 'write: make samples of a template from its data schema'],
      ['import <page>', 'write: make a template of a page of HTML'],
      ['check <mailfolder>', 'write: check a mail folder'],
      ['format <mailfolder>', 'write: format the sources of a mail folder'],
      ['render <mailfolder> <template>', 'write: render an email from a sample or from data'],
      ['preview <mailfolder>', 'write: show a mail folder on a local page that follows every save'],
      ['schemas <folder>', 'write: write JSON Schemas of mail.yaml, rules, schedules, front matter and configuration'],
      ['lsp', 'write: serve the language server protocol on standard input and output, for editors'],
    ],
    load: () => import('./workbench/index.js'),
  },
  {
    commands: [
      ['capture', 'try: capture what apps on this machine send'],
      ['captured', 'try: work with captured email'],
    ],
    load: () => import('./capture/index.js'),
  },
  {
    commands: [
      ['send [template]', 'send: send a message'],
      ['cancel <message>', 'send: cancel deliveries that have not been sent'],
    ],
    load: () => import('./messages/index.js'),
  },
  {
    commands: [
      ['publish <mailfolder>', 'send: check a mail folder and publish it as the edition of a space'],
      ['editions', 'send: work with the editions of a space'],
    ],
    load: () => import('./editions/index.js'),
  },
  {
    commands: [
      ['signal [type]', 'send: send a signal; the rules of the mail folder determine which emails follow'],
      ['signals', 'send: work with signals and what followed from them'],
    ],
    load: () => import('./signals/index.js'),
  },
  { commands: [['bulk-sends', 'send: send one template to many recipients']], load: () => import('./bulk-sends/index.js') },
  {
    commands: [['schedules', 'send: work with recurring sends']],
    load: () => import('./schedules/index.js'),
  },
  { commands: [['permits', 'send: let browsers request emails']], load: () => import('./permits/index.js') },
  { commands: [['queue', 'send: show and change what waits to be sent']], load: () => import('./queue/index.js') },
  { commands: [['messages', 'track: work with messages and their timelines']], load: () => import('./messages/index.js') },
  {
    commands: [['search <text>', 'track: search a space by address, id, reference, subject, domain or code']],
    load: () => import('./search/index.js'),
  },
  { commands: [['returns', 'track: work with bounces, complaints and other returns']], load: () => import('./returns/index.js') },
  { commands: [['inbound', 'track: work with inbound email']], load: () => import('./inbound/index.js') },
  { commands: [['suppressions', 'track: work with suppressed addresses']], load: () => import('./suppressions/index.js') },
  { commands: [['consents', 'track: work with consent to topics']], load: () => import('./consent/index.js') },
  { commands: [['address', 'track: export or erase everything about one address']], load: () => import('./addresses/index.js') },
  { commands: [['subscriptions', 'track: work with webhooks']], load: () => import('./webhooks/index.js') },
  { commands: [['events', 'track: list events']], load: () => import('./events/index.js') },
  {
    commands: [['engagement', 'track: show link and picture hits']],
    load: () => import('./engagement/index.js'),
  },
  { commands: [['figures', 'track: show counts, outcomes and times']], load: () => import('./figures/index.js') },
  { commands: [['alerts', 'track: work with alerts and their rules']], load: () => import('./alerts/index.js') },
  { commands: [['quarantine', 'track: work with items that could not be processed']], load: () => import('./quarantine/index.js') },
  {
    commands: [
      ['deliver', 'set up: run a delivery worker of a cluster'],
      ['serve', 'set up: run the service'],
      ['config', 'set up: check and show the configuration'],
      ['reload', 'set up: make a running service read its configuration again'],
      ['status', 'set up: show whether the service is ready, what waits and what is wrong'],
      ['backup <file>', 'set up: copy the database, also while the service runs'],
      ['backups', 'set up: work with the backups of the service'],
      ['copies', 'set up: work with continuous copies'],
      ['restore [backup]', 'set up: restore the database from a backup or from continuous copies'],
      ['integrity [file]', 'set up: check the integrity of a database'],
      ['prove', 'set up: kill a service under load and compare its reports with what was received'],
    ],
    load: () => import('./service/index.js'),
  },
  { commands: [['providers', 'set up: work with providers']], load: () => import('./providers/index.js') },
  { commands: [['domains', 'set up: work with sending domains, their keys and DNS records']], load: () => import('./domains/index.js') },
  {
    commands: [['senders', 'set up: work with senders and their confirmations']],
    load: () => import('./senders/index.js'),
  },
  { commands: [['keys', 'set up: work with the keys of a space']], load: () => import('./keys/index.js') },
  {
    commands: [
      ['people', 'set up: work with people and their roles'],
      ['console', 'set up: open the console'],
    ],
    load: () => import('./people/index.js'),
  },
  {
    commands: [['cluster', 'set up: work with several services that can take over from each other']],
    load: () => import('./cluster/index.js'),
  },
  { commands: [['audit', 'set up: show the audit log']], load: () => import('./audit/index.js') },
  { commands: [['doctor', 'set up: list what is missing or risky']], load: () => import('./doctor/index.js') },
  {
    commands: [['completion <shell>', 'set up: print the completion script for bash, zsh or fish']],
    load: () => import('./completion/index.js'),
  },
  { commands: [['demo', 'run everything with made-up data']], load: () => import('./demo/index.js') },
];

function remote(command: Command): Command {
  return command
    .addOption(new Option('--url <url>', 'the service (VERBALIS_URL; http://127.0.0.1:8620 when left out)'))
    .addOption(new Option('--key <key>', 'a key of a space (VERBALIS_KEY)'))
    .addOption(new Option('--key-file <file>', 'a file that holds the key'))
    .addOption(new Option('--space <space>', 'the space, with the operator’s secret (VERBALIS_SPACE)'));
}

/** Commands that print a list. */
const lists = new WeakSet<Command>();

function listed(command: Command): Command {
  lists.add(command);
  return remote(command).option('--csv', 'the list as CSV, with the fields of the API');
}

function paged(command: Command): Command {
  return listed(command)
    .addOption(new Option('--limit <n>', 'how many per page (50)').argParser(wholeNumber))
    .option('--cursor <cursor>', 'the next page, as the page before names it')
    .option('--all', 'all pages');
}

/** The options that commands hand down to those below them. */
const HANDED_DOWN = ['url', 'key', 'keyFile', 'space', 'json', 'quiet'];

/**
 * Gives a command the options of those above it: `queue hold --space x` is read by `queue`, which has the option too. Without this the space
 * would be ignored without a word.
 */
function handDown(action: Command): void {
  for (let above = action.parent; above !== null; above = above.parent)
    for (const name of HANDED_DOWN) {
      const value: unknown = above.getOptionValue(name);
      if (value !== undefined && action.getOptionValue(name) === undefined) action.setOptionValue(name, value);
    }
}

/** Settles what the options of all commands mean for this one, before it runs. */
function begin(action: Command, output: ProcessOutput): void {
  handDown(action);
  // Commands need not know these options: they are taken out of their values.
  const values: Record<string, unknown> = action.opts();
  const quiet = values['quiet'] === true;
  delete values['quiet'];
  let csv = false;
  if (lists.has(action)) {
    csv = values['csv'] === true;
    const all = values['all'] === true;
    if (all && values['cursor'] !== undefined) throw new UsageError('Give --all or --cursor, not both.');
    if (csv) values['json'] = true;
    if (all) values['allPages'] = true;
    delete values['csv'];
    delete values['all'];
  }
  const json = values['json'] === true;
  output.begin({ mode: csv ? 'csv' : json ? 'json' : 'text', quiet });
}

/** Adds the options that every command has. */
function complete(command: Command): void {
  const has = (name: string): boolean => command.options.some((option) => option.long === name);
  if (command.commands.length === 0 || command.options.length > 0) {
    if (!has('--json')) command.option('--json', 'print one JSON document, errors included');
    if (!has('--quiet')) command.option('--quiet', 'print results and errors only');
  }
  command.exitOverride((error) => {
    throw Object.assign(error, { command });
  });
  // Its errors are printed like all others.
  command.configureOutput({ outputError: () => undefined });
  command.commands.forEach(complete);
}

function example(command: Command, ...lines: string[]): Command {
  return command.addHelpText('after', `\nFor example\n${lines.map((line) => `  ${line}`).join('\n')}\n`);
}

const STATUSES = `
Exit status
  0   done
  1   the answer is no: a check failed, a delivery failed, nothing arrived
  2   wrong usage or configuration
  3   the service could not be reached
  4   the service refused the request
  70  an internal error
`;

const making = (run: Making['run']): Making => ({ run, remote, paged, listed, example, whole: allCommands });

/** Puts a command under the step of the work that its description begins with. */
function inStep(command: Command): Command {
  const [, step, text] = /^(write|try|send|track|set up): (.*)$/s.exec(command.description()) ?? [];
  if (step === undefined || text === undefined) return command.helpGroup('Other');
  return command.description(text).helpGroup(`${step.charAt(0).toUpperCase()}${step.slice(1)}`);
}

/**
 * The command line, with the commands of one feature loaded and the others named.
 * @param called the first word; all features are loaded without it
 */
async function program(called: string | undefined, output: ProcessOutput, run: Making['run']): Promise<Command> {
  const root = new Command('verbalis')
    .description('Write transactional email as files, try it, send it, and track it.')
    .version(versionOf())
    .showSuggestionAfterError(true)
    .addHelpText('after', STATUSES);
  root.hook('preAction', (_root, action) => {
    begin(action, output);
  });
  const loaded = new Command();
  // A feature may have its commands in two places of the list.
  const defined = new Set<Define>();
  for (const { commands, load } of FEATURES) {
    const names = commands.map(([usage]) => usage.split(' ')[0]);
    if (called === undefined || names.includes(called)) {
      const { define } = await load();
      if (!defined.has(define)) define(loaded, making(run));
      defined.add(define);
    }

    for (const [usage, description] of commands) {
      const [name = '', ...given] = usage.split(' ');
      const own = loaded.commands.find((command) => command.name() === name);
      const command = own ?? given.reduce((stub, argument) => stub.argument(argument), new Command(name)).description(description);
      root.addCommand(inStep(command));
    }
  }
  complete(root);
  return root;
}

/** All commands, with their options: for the completion of shells and for the reference. */
export function allCommands(): Promise<Command> {
  return program(undefined, processOutput(), () => Promise.resolve());
}

/** Runs the command line. @returns the exit status */
export async function main(args: readonly string[]): Promise<ExitCode> {
  const output = processOutput();
  // Enough was read: verbalis alerts | head.
  for (const stream of [process.stdout, process.stderr])
    stream.on('error', (error: NodeJS.ErrnoException) => {
      if (error.code !== 'EPIPE') throw error;
      process.exit(0);
    });
  if (existsSync('.env')) process.loadEnvFile('.env');
  const words = args.slice(0, args.includes('--') ? args.indexOf('--') : undefined);
  // Until a command is found, its options are not known.
  output.begin({ mode: words.includes('--json') ? 'json' : 'text', quiet: false });
  const failed = (error: unknown): ExitCode => {
    const { status, problem } = problemOf(error);
    output.error(problemText(problem, output));
    output.end(status, problem);
    return status;
  };
  let status: ExitCode = 0;
  const run = async (action: Action): Promise<void> => {
    status = await action(output);
    output.end(status);
  };
  const called = args.find((arg) => !arg.startsWith('-') && arg !== 'help');
  try {
    await (await program(called ?? '', output, run)).parseAsync([...args], { from: 'user' });
  } catch (error) {
    if (!(error instanceof CommanderError)) return failed(error);
    if (error.exitCode === 0) return 0;
    // A command with others below it was called alone: its help is printed already.
    if (error.code !== 'commander.help') return failed(wrongUse(error));
    output.end(2, { title: 'A command is missing.' });
    return 2;
  }
  return status;
}
