import { existsSync, readFileSync, statSync } from 'node:fs';
import { basename, dirname, join, relative, resolve, sep } from 'node:path';
import { importHtml, openFolder, placeholderFault, type Imported } from '@verbalis/core/editing';
import { inReadingOrder, type Problem } from '@verbalis/core/problems';
import { fileFault } from '@verbalis/core/system';
import { sampleOf } from '@verbalis/core/typing';
import { readMailFolder } from '@verbalis/service/mail-folder';
import { writeOut } from '../out-file.js';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { problemText } from './check.js';

export interface ImportOptions {
  readonly into: string;
  readonly placeholder: readonly string[];
  readonly force?: boolean;
  readonly json?: boolean;
}

/** Largest page and largest file beside it that are read, in bytes. */
const MAX_BYTES = 16 * 1024 * 1024;

/** Makes a template of a page of HTML, and says what could not be converted. @returns 1 if the template has errors or would replace files */
export async function importPage(page: string, options: ImportOptions, output: Output): Promise<ExitCode> {
  const target = resolve(options.into);
  const folder = dirname(dirname(target));
  const name = basename(target);
  if (basename(dirname(target)) !== 'templates' || !existsSync(join(folder, 'mail.yaml')))
    throw new UsageError(`${options.into} is not the folder of a template in a mail folder.`, 'For example --into mail/templates/welcome.');
  for (const pattern of options.placeholder) {
    const fault = placeholderFault(pattern);
    if (fault !== undefined) throw new UsageError(fault);
  }
  const imported = importHtml({ text: readPage(page), placeholders: options.placeholder, beside: (address) => fileBeside(page, address) });
  const made = filesOf(name, imported, folder);
  const before = await readMailFolder(folder);
  // An existing picture with the same bytes is reused.
  const clashes = [...made]
    .filter(([path, bytes]) => before.has(path) && !Buffer.from(before.get(path) ?? []).equals(bytes))
    .map(([path]) => path);
  if (clashes.length > 0 && options.force !== true) return refuse(clashes, output);
  const problems = problemsOf(name, new Map([...before, ...made]));
  for (const [path, bytes] of made) {
    writeOut(join(folder, path), bytes);
  }
  return report({ name, page, folder, imported, files: [...made.keys()], ...problems }, output);
}

function refuse(paths: readonly string[], output: Output): ExitCode {
  output.result(
    { exist: paths },
    `${paths.map((path) => `${path} exists already`).join('\n')}\nReplace them with --force, or import into another template.`,
  );
  return 1;
}

function readPage(page: string): string {
  let bytes: Buffer;
  try {
    if (statSync(page).size > MAX_BYTES) throw new UsageError(`${page} is larger than ${MAX_BYTES / 1024 / 1024} MiB.`);
    bytes = readFileSync(page);
  } catch (error) {
    if (error instanceof UsageError) throw error;
    throw new UsageError(`${page} cannot be read: ${fileFault(error)}.`);
  }
  try {
    return new TextDecoder('utf-8', { fatal: true, ignoreBOM: false }).decode(bytes);
  } catch {
    throw new UsageError(`${page} is not UTF-8.`, 'Save it as UTF-8, and say so in it: <meta charset="utf-8">.');
  }
}

/** A file that a page names, as long as it is below the page's folder. */
function fileBeside(page: string, address: string): Uint8Array | undefined {
  const [path = ''] = address.split(/[?#]/, 1);
  let file: string;
  try {
    file = resolve(dirname(page), decodeURIComponent(path));
  } catch {
    return undefined;
  }
  if (!file.startsWith(resolve(dirname(page)) + sep) || !existsSync(file)) return undefined;
  const { size } = statSync(file);
  return statSync(file).isFile() && size <= MAX_BYTES ? readFileSync(file) : undefined;
}

function filesOf(name: string, imported: Imported, folder: string): Map<string, Buffer> {
  const json = (value: unknown): Buffer => Buffer.from(`${JSON.stringify(value, null, 2)}\n`);
  const at = relative(folder, join(folder, 'templates', name))
    .split(sep)
    .join('/');
  return new Map([
    [`${at}/message.html`, Buffer.from(imported.source)],
    [`${at}/data.schema.json`, json(imported.schema)],
    [`${at}/samples/typical.json`, json(sampleOf(imported.schema, 'typical'))],
    ...[...imported.files].map(([path, bytes]) => [path, Buffer.from(bytes)] as const),
  ]);
}

/** What the check says of the new template, without rendering it. */
function problemsOf(
  name: string,
  files: ReadonlyMap<string, Uint8Array>,
): { readonly problems: Problem[]; readonly texts: ReadonlyMap<string, string> } {
  const opened = openFolder(files);
  const own = opened.shared.filter(({ place }) => place.file.startsWith(`templates/${name}/`));
  return { problems: inReadingOrder([...own, ...(opened.compiled(name)?.problems ?? [])]), texts: opened.project.texts };
}

interface Report {
  readonly name: string;
  readonly page: string;
  readonly folder: string;
  readonly imported: Imported;
  readonly files: readonly string[];
  readonly problems: readonly Problem[];
  readonly texts: ReadonlyMap<string, string>;
}

function report({ name, page, folder, imported, files, problems, texts }: Report, output: Output): ExitCode {
  const { values, notes } = imported;
  const errors = problems.filter(({ severity }) => severity === 'error').length;
  const counted = [...values].map(([path, count]) => `  ${path}${count === 1 ? '' : ` (${count} times)`}`);
  const lines = [
    ...files.map((path) => `made ${path}`),
    '',
    counted.length === 0
      ? 'No placeholders were found: --placeholder says how they look, for example "%name%".'
      : `Values, all texts until you say otherwise in data.schema.json:\n${counted.join('\n')}`,
    ...(notes.length === 0 ? [] : ['', 'Not converted:', ...notes.map(({ line, message }) => `  ${page}:${line}  ${message}`)]),
    ...(problems.length === 0
      ? []
      : ['', 'What the check says:', ...problems.map((problem) => `\n${problemText(problem, texts.get(problem.place.file), output)}`)]),
  ];
  output.result({ template: name, files, values: Object.fromEntries(values), notes, problems }, lines.join('\n'));
  output.note(`\nTry it:\n  verbalis check ${folder}\n  verbalis render ${folder} ${name} --part text`);
  return errors > 0 ? 1 : 0;
}
