import { Option, type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making } from '../command.js';
import { addDomain, domainRecords, listDomains, RECORD_FORMATS } from './domains.js';

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  const domains = root.command('domains').description('set up: sending domains and the keys that sign their mail');

  example(
    remote(domains.command('add <name>').description('make keys; shows what to publish in the DNS')),
    'verbalis domains add saltmarsh-ferries.example',
  ).action((name: string, options: { json?: boolean } & Parameters<typeof connect>[0]) =>
    run((output) => addDomain(connect(options), name, options, output)),
  );

  example(remote(domains.command('list').description('domains with their records')), 'verbalis domains list').action(
    (options: { json?: boolean } & Parameters<typeof connect>[0]) => run((output) => listDomains(connect(options), options, output)),
  );

  example(
    remote(
      domains
        .command('records <name>')
        .description('what to publish in the DNS for one domain')
        .addOption(new Option('--format <format>', 'how it is written').choices(RECORD_FORMATS).default('text')),
    ),
    'verbalis domains records saltmarsh-ferries.example --format zone',
  ).action((name: string, options: Parameters<typeof domainRecords>[2] & Parameters<typeof connect>[0]) =>
    run((output) => domainRecords(connect(options), name, options, output)),
  );
}
