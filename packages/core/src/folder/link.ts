import { USUAL_THEME, type Theme } from '../html/index.js';
import { problem, SourceText, type Problem } from '../problems/index.js';
import { canonicalLocale, readStrings, type Strings, type StringsFile } from '../strings/index.js';
import type { DataCheck, JsonSchema, Masking } from '../typing/index.js';
import { readJson, readText, type FolderReading, type MailFiles } from './reading.js';
import { readSchemaFile, type DataSchema } from './schemas.js';
import { NO_SETTINGS, readSettings, type MailSettings } from './settings.js';
import { strayFile } from './stray.js';
import { readTheme } from './theme.js';

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
  /** How its sensitive fields are hidden; undefined where it has none. */
  readonly masking: Masking | undefined;
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
  /** Data schemas that several have in common, by path. */
  readonly schemas: ReadonlyMap<string, DataSchema>;
  /** Signal rules by name, as they are written. */
  readonly rules: ReadonlyMap<string, SourceFile>;
  /** Signals to try the rules with. */
  readonly signalSamples: readonly Sample[];
  /** Schedules by name, as they are written. */
  readonly schedules: ReadonlyMap<string, SourceFile>;
  readonly problems: readonly Problem[];
  /** Texts of the sources, for code frames. */
  readonly texts: ReadonlyMap<string, string>;
  /** For linking the folder again after a change: unchanged parts are reused. */
  readonly linked: {
    readonly files: MailFiles;
    readonly templates: ReadonlyMap<string, LinkedTemplate>;
  };
}

/** A template with what was found when its files were read: it depends on nothing else. */
interface LinkedTemplate {
  readonly paths: readonly string[];
  readonly template: TemplateFiles | undefined;
  readonly problems: readonly Problem[];
  readonly texts: ReadonlyMap<string, string>;
}

const NAME = /^[a-z0-9][a-z0-9-]*$/;

/**
 * Reads a mail folder. Never throws; an invalid folder gives a project with problems.
 * @param before the same folder before a change, whose bytes are the same objects where they are the same
 */
export function linkFolder(files: MailFiles, before?: MailProject): MailProject {
  const problems: Problem[] = [];
  const reading: FolderReading = { files, problems, texts: new Map() };
  const settingsText = readText(reading, 'mail.yaml');
  if (settingsText === undefined) {
    problems.push(
      problem(
        'no-mail-folder',
        new SourceText('mail.yaml', '').whole,
        'There is no mail.yaml here, so this is not a mail folder.',
        'Name the folder that holds mail.yaml.',
      ),
    );
  }
  const read = settingsText === undefined ? undefined : readSettings('mail.yaml', settingsText, problems);
  const settings = read ?? NO_SETTINGS;
  const themeText = readText(reading, 'theme.tokens.json');
  const theme = themeText === undefined ? USUAL_THEME : readTheme('theme.tokens.json', themeText, problems);
  const { stringFiles, byTemplate, ...sorted } = sortFiles(reading);
  const linked = linkTemplates(reading, byTemplate, before);
  const templates = new Map([...linked].flatMap(([name, { template }]) => (template === undefined ? [] : [[name, template] as const])));
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
  const isSaidSame =
    before?.settings.locale === settings.locale && isSame(before.linked.files, files, (path) => path.startsWith('strings/'));
  const strings = isSaidSame ? before.strings : readStrings(stringFiles, settings.locale);
  // Without settings, nothing that depends on them can be told: not which language is the folder's own.
  const isBroken = settingsText !== undefined && read === undefined;
  problems.push(...strings.problems.filter(({ severity }) => !isBroken || severity === 'error'));
  return {
    settings,
    theme,
    ...sorted,
    strings,
    templates: isBroken ? new Map() : templates,
    problems,
    texts: reading.texts,
    linked: { files, templates: linked },
  };
}

/** Whether the files of some paths are the same ones in two folders. */
function isSame(before: MailFiles, files: MailFiles, of: (path: string) => boolean): boolean {
  const paths = [...before.keys()].filter(of);
  return paths.length === [...files.keys()].filter(of).length && paths.every((path) => before.get(path) === files.get(path));
}

/** The files of a folder by what they are for. */
interface SortedFiles {
  readonly layouts: Map<string, SourceFile>;
  readonly blocks: Map<string, SourceFile>;
  readonly stringFiles: StringsFile[];
  readonly styles: Map<string, string>;
  readonly assets: Map<string, Uint8Array>;
  readonly schemas: Map<string, DataSchema>;
  readonly rules: Map<string, SourceFile>;
  readonly signalSamples: Sample[];
  readonly schedules: Map<string, SourceFile>;
  /** Paths of each template. */
  readonly byTemplate: Map<string, string[]>;
}

function sortFiles(reading: FolderReading): SortedFiles {
  const { files, problems } = reading;
  const sorted: SortedFiles = {
    layouts: new Map(),
    blocks: new Map(),
    stringFiles: [],
    styles: new Map(),
    assets: new Map(),
    schemas: new Map(),
    rules: new Map(),
    signalSamples: [],
    schedules: new Map(),
    byTemplate: new Map(),
  };
  for (const [path, bytes] of files) {
    const layout = /^layouts\/([^/]+)\.md$/.exec(path)?.[1];
    if (layout !== undefined) sorted.layouts.set(layout, { file: path, text: readText(reading, path) ?? '' });
    const block = /^blocks\/([^/]+)\.md$/.exec(path)?.[1];
    if (block !== undefined) {
      sorted.blocks.set(block, { file: path, text: readText(reading, path) ?? '' });
      if (!NAME.test(block))
        problems.push(
          problem(
            'block-file-name',
            new SourceText(path, '').whole,
            `"${block}" is not a valid name for a block.`,
            'Use small letters, digits and "-".',
          ),
        );
    }
    const locale = /^strings\/([^/]+)\.json$/.exec(path)?.[1];
    if (locale !== undefined) {
      const tag = canonicalLocale(locale);
      if (tag !== undefined) sorted.stringFiles.push({ locale: tag, file: path, text: readText(reading, path) ?? '' });
      else problems.push(problem('locale', new SourceText(path, '').whole, `"${locale}" is no BCP 47 tag.`));
    }
    if (/^styles\/.+\.css$/.test(path)) sorted.styles.set(path, readText(reading, path) ?? '');
    if (path.startsWith('assets/')) sorted.assets.set(path, bytes);
    if (/^schemas\/.+\.json$/.test(path)) {
      const schema = readSchemaFile(reading, path);
      if (schema !== undefined) sorted.schemas.set(path, schema);
    }
    const rule = /^signals\/([^/]+)\.yaml$/.exec(path)?.[1];
    if (rule !== undefined) sorted.rules.set(rule, { file: path, text: readText(reading, path) ?? '' });
    const sample = /^signals\/samples\/([^/]+)\.json$/.exec(path)?.[1];
    if (sample !== undefined) {
      const data = readJson(path, readText(reading, path), problems);
      if (data !== undefined) sorted.signalSamples.push({ name: sample, file: path, data });
    }
    const schedule = /^schedules\/([^/]+)\.yaml$/.exec(path)?.[1];
    if (schedule !== undefined) sorted.schedules.set(schedule, { file: path, text: readText(reading, path) ?? '' });
    const template = /^templates\/([^/]+)\/(.+)$/.exec(path)?.[1];
    if (template !== undefined) sorted.byTemplate.set(template, [...(sorted.byTemplate.get(template) ?? []), path]);
    const stray = strayFile(path);
    if (stray !== undefined) problems.push(stray);
  }
  return sorted;
}

function linkTemplates(
  reading: FolderReading,
  byTemplate: ReadonlyMap<string, readonly string[]>,
  before: MailProject | undefined,
): Map<string, LinkedTemplate> {
  const templates = new Map<string, LinkedTemplate>();
  // A template may refer to any of them.
  const sameSchemas = before !== undefined && haveSameSchemas(before.linked.files, reading.files);
  for (const [name, paths] of [...byTemplate].sort(([a], [b]) => a.localeCompare(b))) {
    const place = new SourceText(`templates/${name}`, '').whole;
    if (!NAME.test(name))
      reading.problems.push(
        problem('template-name', place, `"${name}" is not a valid name for a template.`, 'Use small letters, digits and "-".'),
      );
    const known = before?.linked.templates.get(name);
    const isKnown =
      sameSchemas &&
      known?.paths.length === paths.length &&
      paths.every((path, i) => path === known.paths[i] && before.linked.files.get(path) === reading.files.get(path));
    const linked = isKnown ? known : linkApart(reading.files, name, paths);
    reading.problems.push(...linked.problems);
    for (const [path, text] of linked.texts) reading.texts.set(path, text);
    templates.set(name, linked);
  }
  return templates;
}

function haveSameSchemas(before: MailFiles, now: MailFiles): boolean {
  const paths = [...before.keys(), ...now.keys()].filter((path) => path.startsWith('schemas/'));
  return paths.every((path) => before.get(path) === now.get(path));
}

function linkApart(files: MailFiles, name: string, paths: readonly string[]): LinkedTemplate {
  const reading: FolderReading = { files, problems: [], texts: new Map() };
  return { paths, template: linkTemplate(reading, name, paths), problems: reading.problems, texts: reading.texts };
}

function linkTemplate(reading: FolderReading, name: string, paths: readonly string[]): TemplateFiles | undefined {
  const messages = messageFiles(reading, name, paths);
  if (messages === undefined) return undefined;
  const schemaFile = `templates/${name}/data.schema.json`;
  const data = readSchema(reading, name, schemaFile);
  if (data === undefined) return undefined;
  const samples = readSamples(reading, paths, { schemaFile, checkData: data.checkData });
  return { name, ...messages, ...data, schemaFile, samples };
}

/** The sources and texts of a template by locale; `undefined` when it has no source. */
function messageFiles(
  reading: FolderReading,
  name: string,
  paths: readonly string[],
): Pick<TemplateFiles, 'sources' | 'texts'> | undefined {
  const { problems } = reading;
  const sources = new Map<string, TemplateSource>();
  const texts = new Map<string, SourceFile>();
  for (const path of paths) {
    const parts = /^templates\/[^/]+\/message(?:\.([A-Za-z0-9-]+))?\.(md|html|txt)$/.exec(path);
    if (parts === null) continue;
    const [, tag = '', kind] = parts;
    const locale = tag === '' ? '' : canonicalLocale(tag);
    if (locale === undefined) {
      problems.push(problem('locale', new SourceText(path, '').whole, `"${tag}" is no BCP 47 tag.`));
      continue;
    }
    const file: SourceFile = { file: path, text: readText(reading, path) ?? '' };
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
    const place = new SourceText(`templates/${name}`, '').whole;
    problems.push(problem('no-source', place, `The template "${name}" has no message.md (or message.html).`));
    return undefined;
  }
  for (const [locale, { file }] of texts)
    if (!sources.has(locale))
      problems.push(
        problem(
          'text-alone',
          new SourceText(file, '').whole,
          `This text part has no message: there is no message${locale === '' ? '' : `.${locale}`}.md.`,
          'A text part is written for a source in the same locale.',
        ),
      );
  return { sources, texts };
}

/** A template's data schema; `undefined` if it is missing or invalid. */
function readSchema(reading: FolderReading, name: string, file: string): DataSchema | undefined {
  const found = readSchemaFile(reading, file);
  if (found === undefined && !reading.files.has(file))
    reading.problems.push(
      problem(
        'no-schema',
        new SourceText(file, '').whole,
        `The template "${name}" has no data.schema.json.`,
        'It says which data the template needs (JSON Schema 2020-12); {"type": "object"} for none.',
      ),
    );
  return found;
}

function readSamples(
  reading: FolderReading,
  paths: readonly string[],
  { schemaFile, checkData }: Pick<TemplateFiles, 'schemaFile' | 'checkData'>,
): Sample[] {
  const { problems } = reading;
  const samples: Sample[] = [];
  for (const file of paths.filter((path) => /\/samples\/[^/]+\.json$/.test(path)).sort()) {
    const content = readText(reading, file);
    const before = problems.length;
    const data = readJson(file, content, problems);
    if (problems.length > before) continue;
    const source = new SourceText(file, content ?? '');
    for (const { path, message, hint } of checkData(data)) {
      const last = lastKey(path);
      const at = Math.max(0, source.text.indexOf(`"${last}"`));
      const place = source.place(at, last === '' ? 1 : last.length + 2);
      problems.push(problem('sample-data', place, `"${path}" ${message}.`, hint ?? `The data schema is ${schemaFile}.`));
    }
    samples.push({ name: file.slice(file.lastIndexOf('/') + 1, -'.json'.length), file, data });
  }
  return samples;
}

/** The key at the end of a path such as "legs[2].harbour". */
function lastKey(path: string): string {
  return (
    path
      .replace(/\[\d+\]$/, '')
      .split('.')
      .pop() ?? ''
  );
}
