import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import { settingsSchema } from '@verbalis/service/settings';
import { readConfig } from '@verbalis/service/settings';
import type { Command, CommanderError } from 'commander';
import { parseAllDocuments } from 'yaml';
import { ROOT, temporaryFolder } from './support/service.js';

// What the documentation shows is what the product has: every command line is understood by the command line, every setting exists, every JSON and
// YAML block is well formed, every block in a programming language is run by a test, every link of the pages outside of the site leads somewhere.
// Links and headings inside the site are checked when it is built (scripts/docs.mjs).

const { path: folder, remove } = temporaryFolder();
afterAll(remove);

interface Page {
  readonly file: string;
  readonly text: string;
}
const written = (dir: string): string[] =>
  readdirSync(join(ROOT, dir), { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory()
      ? ['screenshots', 'decisions', 'reference'].includes(entry.name)
        ? []
        : written(join(dir, entry.name))
      : entry.name.endsWith('.md')
        ? [join(dir, entry.name)]
        : [],
  );
const files = ['README.md', 'CONTRIBUTING.md', 'examples/sign-in/README.md', 'examples/what-happened/README.md', ...written('docs')];
const pages: readonly Page[] = files.map((file) => ({ file, text: readFileSync(join(ROOT, file), 'utf8') }));

interface Block {
  readonly file: string;
  readonly line: number;
  readonly language: string;
  readonly text: string;
}
const blocks: readonly Block[] = pages.flatMap(({ file, text }) =>
  [...text.matchAll(/^ *```(\w*)[^\n]*\n([\s\S]*?)^ *```$/gm)].map((match) => ({
    file,
    line: text.slice(0, match.index).split('\n').length,
    language: match[1] ?? '',
    text: match[2] ?? '',
  })),
);
const at = ({ file, line }: Block): string => `${file}:${line}`;

/** The words of a shell command, without its comment; quotes as a shell reads them. */
function wordsOf(command: string): string[] {
  const words: string[] = [];
  let word: string | undefined;
  let quote = '';
  for (const char of command) {
    if (quote !== '') {
      if (char === quote) quote = '';
      else word = (word ?? '') + char;
    } else if (char === "'" || char === '"') {
      quote = char;
      word ??= '';
    } else if (char === '#' && word === undefined) break;
    else if ('|;<>&'.includes(char) && word === undefined) break;
    else if (/\s/.test(char)) {
      if (word !== undefined) words.push(word);
      word = undefined;
    } else word = (word ?? '') + char;
  }
  if (word !== undefined) words.push(word);
  return words;
}

const cli = (await import('@verbalis/cli')) as { allCommands: () => Promise<Command> };

/** What the command line says of words, without running anything; undefined where it understands them. */
async function misunderstood(words: readonly string[]): Promise<string | undefined> {
  const program = await cli.allCommands();
  const quiet = (command: Command): void => {
    command.configureOutput({ writeErr: () => undefined, writeOut: () => undefined });
    command.commands.forEach(quiet);
  };
  quiet(program);
  try {
    await program.parseAsync([...words], { from: 'user' });
    return undefined;
  } catch (error) {
    const { exitCode, message } = error as CommanderError;
    return exitCode === 0 ? undefined : message;
  }
}

const OTHERS = /^(?:npm|npx(?! verbalis)|node|curl|export|mkdir|cd|sudo|systemctl|docker|podman|#|\$|VERBALIS_\w+=\S+$)/;

test('every command line is understood by the command line', async () => {
  const faults: string[] = [];
  let count = 0;
  for (const block of blocks.filter(({ language }) => ['', 'sh'].includes(language))) {
    const lines = block.text.replace(/\\\n\s*/g, ' ').split('\n');
    for (const line of lines) {
      const command = line
        .trim()
        .replace(/^(?:\w+=\S+ +)*(?:sudo (?:-u \w+ )?)?(?:npx )?(?:node packages\/cli\/bin\/verbalis\.js|verbalis) /, 'verbalis ');
      if (!command.startsWith('verbalis ') || OTHERS.test(command)) continue;
      count += 1;
      const fault = await misunderstood(wordsOf(command).slice(1));
      if (fault !== undefined) faults.push(`${at(block)}: ${command}: ${fault}`);
    }
  }
  expect(faults).toEqual([]);
  expect(count).toBeGreaterThan(100);
});

test('every command and option that a sentence names exists', async () => {
  const root = await cli.allCommands();
  const faults: string[] = [];
  let count = 0;
  for (const { file, text } of pages)
    for (const [, words = ''] of text.replace(/^ *```[\s\S]*?^ *```$/gm, '').matchAll(/`(?:npx )?verbalis ([^`]+)`/g)) {
      count += 1;
      let command = root;
      const [...rest] = wordsOf(words);
      while (rest[0] !== undefined) {
        const inner = command.commands.find((child) => child.name() === rest[0]);
        if (inner === undefined) break;
        command = inner;
        rest.shift();
      }
      const isNamed =
        command !== root && !(command.commands.length > 0 && command.registeredArguments.length === 0 && /^[a-z-]+$/.test(rest[0] ?? ''));
      if (!isNamed) faults.push(`${file}: verbalis ${words}`);
      for (const option of rest.filter((word) => word.startsWith('--')))
        if (!command.options.some(({ long }) => long === option.split('=')[0]))
          faults.push(`${file}: verbalis ${words}: no option ${option}`);
    }
  expect(faults).toEqual([]);
  expect(count).toBeGreaterThan(60);
});

test('JSON and YAML are well formed, and a configuration has no setting that does not exist', () => {
  const settings = Object.keys((settingsSchema() as { properties: object }).properties);
  const faults: string[] = [];
  for (const block of blocks) {
    try {
      if (block.language === 'json') JSON.parse(block.text.replaceAll('…', ''));
      if (block.language !== 'yaml') continue;
      // Several documents are alternatives.
      const documents = [...parseAllDocuments(block.text)];
      for (const { errors } of documents) if (errors[0] !== undefined) throw errors[0];
      if (documents.length > 1) continue;
      const content: unknown = documents[0]?.toJS();
      if (typeof content !== 'object' || content === null || !Object.keys(content).every((key) => settings.includes(key))) continue;
      const file = join(folder, 'verbalis.yaml');
      // What a part of a configuration leaves out may be missing; what it has must exist.
      writeFileSync(file, block.text);
      try {
        readConfig(file, {});
      } catch (error) {
        const unknown = (error as Error).message.split('\n').filter((line) => line.includes('is not a setting'));
        faults.push(...unknown.map((line) => `${at(block)}: ${line.trim()}`));
      }
    } catch (error) {
      faults.push(`${at(block)}: ${(error as Error).message.split('\n')[0] ?? ''}`);
    }
  }
  expect(faults).toEqual([]);
});

test('every setting that a sentence names exists', () => {
  const schema = settingsSchema() as Schema;
  interface Schema {
    readonly properties?: Readonly<Record<string, Schema>>;
    readonly additionalProperties?: Schema | boolean;
    readonly items?: Schema;
    readonly oneOf?: readonly Schema[];
    readonly anyOf?: readonly Schema[];
  }
  const has = (of: Schema, [step, ...rest]: readonly string[]): boolean => {
    if (step === undefined) return true;
    const inner = [
      ...(of.properties?.[step] === undefined ? [] : [of.properties[step]]),
      ...(typeof of.additionalProperties === 'object' ? [of.additionalProperties] : []),
    ];
    const forms = [...(of.oneOf ?? []), ...(of.anyOf ?? []), ...(of.items === undefined ? [] : [of.items])];
    return inner.some((next) => has(next, rest)) || forms.some((form) => has(form, [step, ...rest]));
  };
  const faults: string[] = [];
  for (const { file, text } of pages)
    for (const [, name = ''] of text.matchAll(/`([a-z][A-Za-z]*(?:\.[A-Za-z][\w-]*)+)`/g)) {
      const steps = name.split('.');
      // Files, fields of templates and of events, and hosts have dots, too.
      if (!(steps[0] !== undefined && steps[0] in (schema.properties ?? {})) || /\.(?:ts|md|json|yaml|example|com|js)$/.test(name))
        continue;
      if (!has(schema, steps)) faults.push(`${file}: ${name}`);
    }
  expect(faults.filter((fault) => !OTHER_DOTTED.has(fault.split(': ')[1] ?? ''))).toEqual([]);
});

/** Names with dots that begin like a setting and are not one: hosts. */
const OTHER_DOTTED = new Set(['returns.DOMAIN', 'returns.localhost']);

/** Tests that run the blocks of a page in a programming language. */
const RUN_BY: Readonly<Record<string, string>> = {
  'docs/events.md': 'tests/snippets.test.ts',
  'docs/languages.md': 'tests/languages.test.ts',
  'docs/client.md': 'tests/client-docs.test.ts',
  'docs/try.md': 'tests/test-kit.test.ts',
  'docs/signals.md': 'examples/what-happened/what-happened.test.ts',
  'docs/permits.md': 'tests/permits.test.ts',
};

test('every block in a programming language has a test that runs it', () => {
  const code = blocks.filter(({ language }) => !['', 'sh', 'yaml', 'json', 'md'].includes(language));
  expect(code.filter(({ file }) => RUN_BY[file] === undefined).map(at)).toEqual([]);
  for (const file of Object.values(RUN_BY)) expect([file, existsSync(join(ROOT, file))]).toEqual([file, true]);
});

test('links of pages outside of the site lead somewhere, and every page of docs is in the index', () => {
  const faults: string[] = [];
  for (const { file, text } of pages.filter((page) => !page.file.startsWith('docs/')))
    for (const [, target = ''] of text.matchAll(/\]\(([^)\s]+)\)/g)) {
      const [path = ''] = target.split('#');
      if (!/^(?:https?:|mailto:|#)/.test(target) && !existsSync(join(ROOT, dirname(file), path))) faults.push(`${file}: ${target}`);
    }
  const index = readFileSync(join(ROOT, 'docs/index.md'), 'utf8');
  for (const file of [...written('docs'), ...readdirSync(join(ROOT, 'docs/reference')).map((name) => `docs/reference/${name}`)])
    if (file !== 'docs/index.md' && file.endsWith('.md') && !index.includes(`(${file.slice('docs/'.length)})`))
      faults.push(`docs/index.md lacks ${file}`);
  expect(faults).toEqual([]);
});
