import { Option, type Command } from 'commander';
import { connect } from '../connection.js';
import { type Making, type Remote } from '../command.js';
import type { check } from './check.js';
import { FORMATS } from './check-formats.js';
import type { render } from './render.js';
import type { FormatOptions } from './format.js';
import type { ImportOptions } from './import.js';
import type { PreviewOptions } from './preview.js';
import type { SampleOptions } from './sample.js';
import type { TypesOptions } from './types.js';

/** As in core/typing, which is not loaded to show help. */
const SAMPLE_KINDS = ['typical', 'minimal', 'nasty'];

/** Commands of this feature. */
export function define(root: Command, { run, remote, example }: Making): void {
  example(
    root
      .command('init <folder>')
      .description('write: create a small mail folder that works')
      .option('--configuration', 'make a configuration of the service instead, with a schema for editors'),
    'verbalis init mail',
  ).action((folder: string, options: { configuration?: boolean }) =>
    run(async (output) => {
      const { init, initConfiguration } = await import('./init.js');
      return options.configuration === true ? initConfiguration(folder, output) : init(folder, output);
    }),
  );

  example(
    root
      .command('types <mailfolder>')
      .description('write: write types of the data of every template')
      .option('--out <path>', 'a file, or a folder for schemas (standard output when left out)')
      .addOption(new Option('--format <format>', 'what is written').choices(['typescript', 'json-schema']).default('typescript')),
    'verbalis types demo/mail --out src/mail-data.ts',
    'verbalis types demo/mail --format json-schema --out schemas',
  ).action((folder: string, options: TypesOptions) => run(async (output) => (await import('./types.js')).types(folder, options, output)));

  defineSample(root, { run, example });
  defineImport(root, { run, example });
  defineEditing(root, { run, example });

  example(
    root
      .command('check <mailfolder>')
      .description('write: check a mail folder')
      .option('--links', 'ask for every link and picture of every sample, over the network')
      .option('--strict', 'warnings fail too')
      .option('--watch', 'check again after every change, until interrupted')
      .addOption(new Option('--format <format>', 'how it is written').choices(FORMATS).default('text'))
      .option('--json', 'the same as --format json'),
    'verbalis check demo/mail --strict',
    'verbalis check mail --watch',
  ).action((folder: string, options: Parameters<typeof check>[1]) =>
    run(async (output) => (await import('./check.js')).check(folder, options, output)),
  );

  example(
    root
      .command('render <mailfolder> <template>')
      .description('write: render an email from a sample or from data')
      .option('--sample <name>', 'a sample of the template (typical, or the first one, when left out)')
      .option('--data <file>', 'JSON data; - for standard input')
      .option('--locale <tag>', 'BCP 47 tag')
      .addOption(new Option('--part <part>', 'one part, unchanged').choices(['subject', 'preview', 'html', 'text', 'eml']))
      .option('--json', 'for machines'),
    'verbalis render demo/mail booking-confirmed --sample typical --part text',
  ).action((folder: string, template: string, options: Parameters<typeof render>[2]) =>
    run(async (output) => (await import('./render.js')).render(folder, template, options, output)),
  );

  example(
    remote(
      root
        .command('preview <mailfolder>')
        .description('write: show a mail folder on a local page that follows every save')
        .option('--host <host>', 'where it listens', '127.0.0.1')
        .option('--port <port>', 'any free one when 0', '8630')
        .option('--edit', 'let the page write the sources'),
    ),
    'verbalis preview demo/mail',
    'verbalis preview demo/mail --edit --url http://127.0.0.1:8620 --key KEY   (can send tests)',
  ).action((folder: string, { url, key, keyFile, space, ...options }: Remote & PreviewOptions) =>
    run(async (output) => {
      const hasKey = (key ?? process.env['VERBALIS_KEY']) !== undefined;
      const connection = hasKey
        ? { client: connect({ url, key, keyFile, space }), url: url ?? process.env['VERBALIS_URL'] ?? 'http://127.0.0.1:8620' }
        : undefined;
      return (await import('./preview.js')).preview(folder, options, connection, output);
    }),
  );
}

function defineSample(root: Command, { run, example }: Pick<Making, 'run' | 'example'>): void {
  example(
    root
      .command('sample <mailfolder> <template>')
      .description('write: make samples of a template from its data schema')
      .addOption(new Option('--kind <kind>', 'typical data, only what is required, or long and odd data').choices(SAMPLE_KINDS))
      .option('--write', 'write files to the samples of the template: all kinds, unless one is given')
      .option('--force', 'replace files that exist')
      .option('--json', 'print JSON for programs'),
    'verbalis sample demo/mail booking-confirmed --kind nasty',
    'verbalis sample mail receipt --write',
  ).action((folder: string, template: string, options: SampleOptions) =>
    run(async (output) => (await import('./sample.js')).sample(folder, template, options, output)),
  );
}

function defineImport(root: Command, { run, example }: Pick<Making, 'run' | 'example'>): void {
  example(
    root
      .command('import <page>')
      .description('write: make a template of a page of HTML')
      .requiredOption('--into <folder>', 'the folder of the new template, in templates/ of a mail folder')
      .option(
        '--placeholder <pattern>',
        'how the page marks values, with "name" for the name; can be given again',
        (pattern: string, before: readonly string[]) => [...before, pattern],
        [],
      )
      .option('--force', 'replace files that exist')
      .option('--json', 'print JSON for programs'),
    "verbalis import welcome.html --into mail/templates/welcome --placeholder '%name%'",
  ).action((page: string, options: ImportOptions) =>
    run(async (output) => (await import('./import.js')).importPage(page, options, output)),
  );
}

function defineEditing(root: Command, { run, example }: Pick<Making, 'run' | 'example'>): void {
  example(
    root
      .command('format <mailfolder>')
      .description('write: format the sources of a mail folder')
      .option('--check', 'change nothing; exit with 1 if a source is not formatted')
      .option('--json', 'print JSON for programs'),
    'verbalis format mail',
    'verbalis format mail --check',
  ).action((folder: string, options: FormatOptions) =>
    run(async (output) => (await import('./format.js')).format(folder, options, output)),
  );

  example(
    root
      .command('schemas <folder>')
      .description('write: write JSON Schemas of mail.yaml, rules, schedules, front matter and configuration')
      .option('--json', 'print JSON for programs'),
    'verbalis schemas .schemas',
  ).action((folder: string) => run(async (output) => (await import('./schemas.js')).schemas(folder, output)));

  example(
    root.command('lsp').description('write: serve the language server protocol on standard input and output, for editors'),
    'verbalis lsp   (an editor starts it: see docs/editors.md)',
  ).action(() =>
    run(async (output) => {
      if (process.stdin.isTTY) output.note('This is for editors, which start it and talk to it: see docs/editors.md. End with Ctrl+C.');
      await (await import('./language-server/server.js')).serve();
      return 0;
    }),
  );
}
