import { USUAL_THEME, type Theme } from '../html/index.js';
import { depthOf, didYouMean, jsonFault, MAX_DEPTH, problem, SourceText, warning, type Problem } from '../problems/index.js';
import { canonicalLocale, readStrings, type Strings, type StringsFile } from '../strings/index.js';
import { dataCheck, schemaBoundFault, SchemaFault, type DataCheck, type JsonSchema } from '../typing/index.js';
import { NO_SETTINGS, readSettings, type MailSettings } from './settings.js';
import { readTheme } from './theme.js';

/** A mail folder as data: path with "/" between, relative to the folder, to bytes. */
export type MailFiles = ReadonlyMap<string, Uint8Array>;

export interface SourceFile {
  readonly file: string;
  readonly text: string;
}

export interface Sample {
  readonly name: string;
  readonly file: string;
  readonly data: unknown;
}

/** A template's source: Markdown with blocks, or HTML of one's own. */
export interface TemplateSource extends SourceFile {
  readonly kind: 'md' | 'html';
}

export interface TemplateFiles {
  readonly name: string;
  /** By locale; '' is the source without one. */
  readonly sources: ReadonlyMap<string, TemplateSource>;
  /** Text parts written by hand, by locale. */
  readonly texts: ReadonlyMap<string, SourceFile>;
  readonly schema: JsonSchema;
  readonly schemaFile: string;
  readonly checkData: DataCheck;
  readonly samples: readonly Sample[];
}

/** A mail folder, read and linked: everything found, everything checked that needs no template to be compiled. */
export interface MailProject {
  readonly settings: MailSettings;
  readonly theme: Theme;
  readonly layouts: ReadonlyMap<string, SourceFile>;
  /** Blocks of the mail folder's own. */
  readonly blocks: ReadonlyMap<string, SourceFile>;
  readonly strings: Strings;
  /** Style sheets by path. */
  readonly styles: ReadonlyMap<string, string>;
  /** Assets by path. */
  readonly assets: ReadonlyMap<string, Uint8Array>;
  readonly templates: ReadonlyMap<string, TemplateFiles>;
  readonly problems: readonly Problem[];
  /** Texts of the sources, for code frames. */
  readonly texts: ReadonlyMap<string, string>;
}

const NAME = /^[a-z0-9][a-z0-9-]*$/;

/** Reads a mail folder. Never throws; a folder that is none gives a project with problems. */
export function linkFolder(files: MailFiles): MailProject {
  const problems: Problem[] = [];
  const texts = new Map<string, string>();
  const text = (path: string): string | undefined => {
    const bytes = files.get(path);
    if (bytes === undefined) return undefined;
    let read = texts.get(path);
    if (read === undefined) {
      try {
        read = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
      } catch {
        read = new TextDecoder('utf-8').decode(bytes);
        problems.push(
          problem(
            'encoding',
            new SourceText(path, read).place(Math.max(0, read.indexOf('\uFFFD'))),
            'This file is not UTF-8.',
            'Save it as UTF-8.',
          ),
        );
      }
      texts.set(path, read);
    }
    return read;
  };
  const settingsText = text('mail.yaml');
  if (settingsText === undefined) {
    problems.push(
      problem(
        'no-mail-folder',
        new SourceText('mail.yaml', '').whole,
        'There is no mail.yaml here, so this is no mail folder.',
        'Name the folder that holds mail.yaml.',
      ),
    );
  }
  const read = settingsText === undefined ? undefined : readSettings('mail.yaml', settingsText, problems);
  const settings = read ?? NO_SETTINGS;
  const themeText = text('theme.tokens.json');
  const theme = themeText === undefined ? USUAL_THEME : readTheme('theme.tokens.json', themeText, problems);
  const layouts = new Map<string, SourceFile>();
  const blocks = new Map<string, SourceFile>();
  const stringFiles: StringsFile[] = [];
  const styles = new Map<string, string>();
  const assets = new Map<string, Uint8Array>();
  const byTemplate = new Map<string, string[]>();
  for (const path of files.keys()) {
    const layout = /^layouts\/([^/]+)\.md$/.exec(path)?.[1];
    if (layout !== undefined) layouts.set(layout, { file: path, text: text(path) ?? '' });
    const block = /^blocks\/([^/]+)\.md$/.exec(path)?.[1];
    if (block !== undefined) {
      blocks.set(block, { file: path, text: text(path) ?? '' });
      if (!NAME.test(block))
        problems.push(
          problem(
            'block-file-name',
            new SourceText(path, '').whole,
            `"${block}" is no name for a block.`,
            'Use small letters, digits and "-".',
          ),
        );
    }
    const locale = /^strings\/([^/]+)\.json$/.exec(path)?.[1];
    if (locale !== undefined) {
      const tag = canonicalLocale(locale);
      if (tag !== undefined) stringFiles.push({ locale: tag, file: path, text: text(path) ?? '' });
      else problems.push(problem('locale', new SourceText(path, '').whole, `"${locale}" is no BCP 47 tag.`));
    }
    if (/^styles\/.+\.css$/.test(path)) styles.set(path, text(path) ?? '');
    if (path.startsWith('assets/')) assets.set(path, files.get(path) ?? new Uint8Array());
    const template = /^templates\/([^/]+)\/(.+)$/.exec(path)?.[1];
    if (template !== undefined) {
      const paths = byTemplate.get(template) ?? [];
      paths.push(path);
      byTemplate.set(template, paths);
    }
    const stray = strayFile(path);
    if (stray !== undefined) problems.push(stray);
  }
  const templates = new Map<string, TemplateFiles>();
  for (const [name, paths] of [...byTemplate].sort(([a], [b]) => a.localeCompare(b))) {
    const place = new SourceText(`templates/${name}`, '').whole;
    if (!NAME.test(name))
      problems.push(problem('template-name', place, `"${name}" is no name for a template.`, 'Use small letters, digits and "-".'));
    const linked = linkTemplate(name, paths, text, problems);
    if (linked !== undefined) templates.set(name, linked);
  }
  // A template that cannot be read is no template missing: its own problems say why.
  if (settingsText !== undefined && byTemplate.size === 0) {
    problems.push(
      problem(
        'no-templates',
        new SourceText('mail.yaml', settingsText).whole,
        'This mail folder has no templates.',
        'Make templates/NAME/message.md.',
      ),
    );
  }
  const strings = readStrings(stringFiles, settings.locale);
  // Without settings, nothing that depends on them can be told: not which language is the folder's own.
  const isBroken = settingsText !== undefined && read === undefined;
  problems.push(...strings.problems.filter((one) => !isBroken || one.severity === 'error'));
  return { settings, theme, layouts, blocks, strings, styles, assets, templates: isBroken ? new Map() : templates, problems, texts };
}

function linkTemplate(
  name: string,
  paths: readonly string[],
  text: (path: string) => string | undefined,
  problems: Problem[],
): TemplateFiles | undefined {
  const folder = `templates/${name}`;
  const sources = new Map<string, TemplateSource>();
  const texts = new Map<string, SourceFile>();
  for (const path of paths) {
    const found = /^templates\/[^/]+\/message(?:\.([A-Za-z0-9-]+))?\.(md|html|txt)$/.exec(path);
    if (found === null) continue;
    const [, tag = '', kind] = found;
    const locale = tag === '' ? '' : canonicalLocale(tag);
    if (locale === undefined) {
      problems.push(problem('locale', new SourceText(path, '').whole, `"${tag}" is no BCP 47 tag.`));
      continue;
    }
    const file: SourceFile = { file: path, text: text(path) ?? '' };
    if (kind === 'txt') texts.set(locale, file);
    else if (sources.has(locale))
      problems.push(
        problem(
          'two-sources',
          new SourceText(path, '').whole,
          `${path} and ${sources.get(locale)?.file ?? ''} are the same mail twice.`,
          'Keep one of them.',
        ),
      );
    else sources.set(locale, { ...file, kind: kind === 'html' ? 'html' : 'md' });
  }
  if (!sources.has('')) {
    problems.push(problem('no-source', new SourceText(folder, '').whole, `The template "${name}" has no message.md (or message.html).`));
    return undefined;
  }
  for (const [locale, file] of texts)
    if (!sources.has(locale))
      problems.push(
        problem(
          'text-alone',
          new SourceText(file.file, '').whole,
          `This text part belongs to no message: there is no message${locale === '' ? '' : `.${locale}`}.md.`,
          'A text part is written for a source in the same locale.',
        ),
      );
  const schemaFile = `${folder}/data.schema.json`;
  const schema = readJson(schemaFile, text(schemaFile), problems) as JsonSchema | undefined;
  if (schema === undefined) {
    if (text(schemaFile) === undefined) {
      problems.push(
        problem(
          'no-schema',
          new SourceText(schemaFile, '').whole,
          `The template "${name}" has no data.schema.json.`,
          'It says which data the template needs (JSON Schema 2020-12); {"type": "object"} for none.',
        ),
      );
    }
    return undefined;
  }
  const tooMuch = schemaBoundFault(schema);
  if (tooMuch !== undefined) {
    problems.push(
      problem('schema-size', new SourceText(schemaFile, '').whole, tooMuch, 'Say less: what a template does not show needs no schema.'),
    );
    return undefined;
  }
  let checkData: DataCheck;
  try {
    checkData = dataCheck(schema);
  } catch (error) {
    if (!(error instanceof SchemaFault)) throw error;
    problems.push(problem('schema', new SourceText(schemaFile, text(schemaFile) ?? '').place(0), schemaMessage(error.message)));
    return undefined;
  }
  const samples: Sample[] = [];
  for (const file of paths.filter((path) => /\/samples\/[^/]+\.json$/.test(path)).sort()) {
    const content = text(file);
    const before = problems.length;
    const data = readJson(file, content, problems);
    if (problems.length > before) continue;
    const source = new SourceText(file, content ?? '');
    for (const fault of checkData(data)) {
      const last =
        fault.path
          .replace(/\[\d+\]$/, '')
          .split('.')
          .pop() ?? '';
      const at = Math.max(0, source.text.indexOf(`"${last}"`));
      problems.push(
        problem(
          'sample-data',
          source.place(at, last === '' ? 1 : last.length + 2),
          `"${fault.path}" ${fault.message}.`,
          fault.hint ?? `The data schema is ${schemaFile}.`,
        ),
      );
    }
    samples.push({ name: file.slice(file.lastIndexOf('/') + 1, -'.json'.length), file, data });
  }
  return { name, sources, texts, schema, schemaFile, checkData, samples };
}

function schemaMessage(message: string): string {
  return /^The pattern /.test(message) ? message : `This is no valid JSON Schema: ${message.replace(/\.?$/, '.')}`;
}

/** Where files of a mail folder stand. Files that begin with a dot, and notes for people, are nobody's business. */
const PLACES: readonly { readonly path: RegExp; readonly example: string }[] = [
  { path: /^(?:mail\.yaml|theme\.tokens\.json)$/, example: 'mail.yaml' },
  { path: /^layouts\/[^/]+\.md$/, example: 'layouts/NAME.md' },
  { path: /^blocks\/[^/]+\.md$/, example: 'blocks/NAME.md' },
  { path: /^styles\/.+\.css$/, example: 'styles/NAME.css' },
  { path: /^strings\/[^/]+\.json$/, example: 'strings/LOCALE.json' },
  { path: /^assets\/.+/, example: 'assets/NAME.png' },
  { path: /^templates\/[^/]+\/(?:message(?:\.[A-Za-z0-9-]+)?\.(?:md|html|txt)|data\.schema\.json|samples\/[^/]+\.json)$/, example: '' },
];
const FOLDERS = ['layouts', 'blocks', 'styles', 'strings', 'assets', 'templates'];

/** A file that nothing reads, where its author may think otherwise. */
function strayFile(path: string): Problem | undefined {
  if (/(?:^|\/)(?:\.[^/]*|README[^/]*|LICEN[CS]E[^/]*)(?:\/|$)/i.test(path) || PLACES.some((one) => one.path.test(path))) return undefined;
  const [folder = '', ...rest] = path.split('/');
  let hint: string | undefined;
  if (folder === 'templates' && rest.length === 1) hint = 'Each template has a folder of its own: templates/NAME/message.md.';
  else if (folder === 'templates') {
    const name = rest.slice(1).join('/');
    const tagged = /^message[._-]([A-Za-z]{2,3}(?:[-_][A-Za-z0-9]{2,8})*)\.(md|html|txt)$/.exec(name);
    hint =
      tagged !== null
        ? `Did you mean "message.${(tagged[1] ?? '').replaceAll('_', '-')}.${tagged[2] ?? ''}"?`
        : didYouMean(name, ['message.md', 'message.html', 'message.txt', 'data.schema.json', 'samples/typical.json']);
  } else if (FOLDERS.includes(folder))
    hint = `Files there are named ${PLACES.find((one) => one.example.startsWith(`${folder}/`))?.example ?? ''}.`;
  else if (rest.length > 0) hint = didYouMean(folder, FOLDERS);
  else return undefined;
  return warning('stray-file', new SourceText(path, '').whole, 'Nothing reads this file.', hint);
}

function readJson(file: string, text: string | undefined, problems: Problem[]): unknown {
  if (text === undefined) return undefined;
  try {
    const value = JSON.parse(text) as unknown;
    if (depthOf(value) <= MAX_DEPTH) return value;
    problems.push(problem('nesting', new SourceText(file, text).whole, `This file nests deeper than ${MAX_DEPTH} levels.`));
    return undefined;
  } catch {
    const fault = jsonFault(text);
    problems.push(
      problem('json', new SourceText(file, text).place(fault.offset, fault.length), `This is not valid JSON: ${fault.message}.`),
    );
    return undefined;
  }
}
