import { InvalidArgumentError, Option, type Command } from 'commander';
import { confirmed, type Making } from '../command.js';
import { connect } from '../connection.js';
import type * as Commands from './domains.js';
import type * as Reports from './reports.js';

type Options = Parameters<typeof connect>[0];

const POLICIES = ['none', 'quarantine', 'reject'] as const;

function wholeNumber(text: string): number {
  if (!/^[1-9]\d{0,4}$/.test(text)) throw new InvalidArgumentError('It must be a whole number above 0.');
  return Number(text);
}

const returnHost = (): Option => new Option('--return-host <host>', 'where bounces come back to (default: returns.NAME)');
const linkHost = (): Option =>
  new Option('--link-host <host>', 'where links and pages in its emails lead to (default: the host of the service)');
const policy = (): Option => new Option('--policy <policy>', 'what the DMARC record should ask of receivers').choices(POLICIES);

/** What an operator decides about a domain. */
const chosen = (command: Command): Command => command.addOption(returnHost()).addOption(linkHost()).addOption(policy());

const load = (): Promise<typeof Commands> => import('./domains.js');

/** Commands of this feature. */
export function define(root: Command, making: Making): void {
  const { run, remote, listed, example } = making;
  const domains = root.command('domains').description('set up: work with sending domains, their keys and DNS records');
  /** A command about one domain with no options of its own. */
  const plain = (
    name: 'show' | 'check' | 'rotate' | 'remove',
    description: string,
    act: (of: typeof Commands) => (typeof Commands)['showDomain'],
  ): void => {
    const command = domains.command(`${name} <name>`).description(description);
    if (name === 'remove') command.option('--yes', 'do not ask');
    example(remote(command), `verbalis domains ${name} saltmarsh-ferries.example`).action(
      (domain: string, options: Options & { yes?: boolean }) =>
        run(async (output) => {
          if (name === 'remove' && !(await confirmed(`Remove ${domain} with its keys?`, options, output))) return 1;
          return act(await load())(connect(options), domain, output);
        }),
    );
  };

  example(
    remote(chosen(domains.command('add <name>').description('add a domain, create its keys and show the DNS records'))),
    'verbalis domains add saltmarsh-ferries.example',
  ).action((name: string, options: Options & Parameters<(typeof Commands)['addDomain']>[2]) =>
    run(async (output) => (await load()).addDomain(connect(options), name, options, output)),
  );
  example(listed(domains.command('list').description('list domains with their state')), 'verbalis domains list').action(
    (options: Options & { json?: boolean }) => run(async (output) => (await load()).listDomains(connect(options), options, output)),
  );
  plain('show', 'show a domain as of its last check', (commands) => commands.showDomain);
  plain('check', 'check the records now; exits with 1 unless all are right', (commands) => commands.checkDomain);
  example(
    remote(
      domains
        .command('records <name>')
        .description('show the DNS records of a domain')
        .addOption(new Option('--format <format>', 'how it is written').choices(['text', 'zone', 'json']).default('text')),
    ),
    'verbalis domains records saltmarsh-ferries.example --format zone',
  ).action((name: string, options: Options & Parameters<(typeof Commands)['domainRecords']>[2]) =>
    run(async (output) => (await load()).domainRecords(connect(options), name, options, output)),
  );
  example(
    remote(chosen(domains.command('change <name>').description('change the return host, link host or DMARC policy'))),
    'verbalis domains change saltmarsh-ferries.example --policy quarantine',
  ).action((name: string, options: Options & Parameters<(typeof Commands)['changeDomain']>[2]) =>
    run(async (output) => (await load()).changeDomain(connect(options), name, options, output)),
  );
  defineVerify(domains, making);
  plain('rotate', 'create new keys, which are used when they are published', (commands) => commands.rotateKeys);
  example(
    remote(
      domains
        .command('share <name>')
        .description('print the address of a page with the records, for the owner of the DNS')
        .addOption(new Option('--days <days>', 'how long it can be read').argParser(wholeNumber).default(14))
        .option('--end', 'end all such pages of the domain instead'),
    ),
    'verbalis domains share saltmarsh-ferries.example --days 7',
    'verbalis domains share saltmarsh-ferries.example --end',
  ).action((name: string, options: Options & Parameters<(typeof Commands)['shareDomain']>[2]) =>
    run(async (output) => (await load()).shareDomain(connect(options), name, options, output)),
  );
  defineLog(domains, making);
  defineReports(domains, making);
  plain('remove', 'remove a domain with its keys', (commands) => commands.removeDomain);
}

function defineVerify(domains: Command, { run, remote, example }: Making): void {
  example(
    remote(
      domains
        .command('verify <name>')
        .description('send a test email to the service itself and evaluate it as a receiver would; exits with 1 if something is wrong')
        .option('--through <space>', 'the space whose route it takes'),
    ),
    'verbalis domains verify saltmarsh-ferries.example',
  ).action((name: string, { through, ...options }: Options & { json?: boolean; through?: string }) =>
    run(async (output) =>
      (await load()).verifyDomain(connect(options), name, { ...options, ...(through === undefined ? {} : { space: through }) }, output),
    ),
  );
}

function defineLog(domains: Command, { run, remote, example }: Making): void {
  example(
    remote(
      domains
        .command('log <name>')
        .description('list the checks of the last 90 days, newest first')
        .option('--answers', 'with what each name server answered')
        .addOption(new Option('--limit <n>', 'how many').argParser(wholeNumber).default(20)),
    ),
    'verbalis domains log saltmarsh-ferries.example --answers --limit 1',
  ).action((name: string, options: Options & Parameters<(typeof Commands)['domainLog']>[2]) =>
    run(async (output) => (await load()).domainLog(connect(options), name, options, output)),
  );
}

function defineReports(domains: Command, { run, remote, example }: Making): void {
  example(
    remote(
      domains
        .command('reports <name>')
        .description('show who sends as a domain, according to receivers')
        .addOption(new Option('--days <days>', 'of how many days').argParser(wholeNumber).default(30))
        .addOption(new Option('--format <format>', 'how it is written').choices(['text', 'csv', 'json']).default('text')),
    ),
    'verbalis domains reports saltmarsh-ferries.example --format csv',
  ).action((name: string, options: Options & Parameters<(typeof Reports)['domainReports']>[2]) =>
    run(async (output) => (await import('./reports.js')).domainReports(connect(options), name, options, output)),
  );
}
