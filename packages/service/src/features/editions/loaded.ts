import { linkFolder, type MailFiles, type MailProject, type TemplateFiles } from '@verbalis/core/folder';
import type { CompiledFolder, CompiledTemplate } from '@verbalis/core/program';
import { compileSchedules, type Schedule } from '@verbalis/core/schedules';
import { compileRules, type Rule } from '@verbalis/core/signals';
import { lookUp } from '@verbalis/core/strings';
import { prepare, type Program, type Renderer } from '@verbalis/core/render';
import { LRUCache } from 'lru-cache';
import { Refusal } from '../../kernel/index.js';
import { ThreadFault } from '../../kernel/thread.js';
import { BUILT_IN, BUILT_IN_FOLDER } from './built-in.js';
import type { EditionRow } from './queries.js';
import type { Store } from './store.js';
import type { CompileResult, MailFolderCompiler } from './compile.js';

/** A template of an edition, ready to be sent. */
export interface ReadyTemplate {
  readonly files: TemplateFiles;
  readonly compiled: CompiledTemplate;
  /** The best program for a locale: itself, its language, then the folder's own locale. */
  readonly render: (locale: string | undefined) => { readonly program: Program; readonly renderer: Renderer } | undefined;
}

/** An edition in memory, compiled. */
export interface LoadedEdition {
  readonly space: string;
  readonly number: number;
  readonly project: MailProject;
  readonly templates: ReadonlyMap<string, ReadyTemplate>;
  /** Its signal rules by name; compiled when first asked for, like its schedules. */
  readonly rules: () => ReadonlyMap<string, Rule>;
  readonly schedules: () => ReadonlyMap<string, Schedule>;
}

/** A mail folder that has errors and so cannot be published. */
function notPublished(detail: string): Refusal {
  return new Refusal(422, 'edition-errors', 'The mail folder has errors', {
    detail,
    hint: 'verbalis check shows them with their places.',
  });
}

/** What editions of the same files share, whatever their spaces. */
type Linked = Omit<LoadedEdition, 'space' | 'number'>;

const linked = new WeakMap<CompiledFolder, Linked>();

/**
 * Puts together what is needed to send: the folder is read here, and was compiled elsewhere. That is done once for all spaces that have
 * published the same files.
 */
export function editionOf(space: string, number: number, { files, compiled }: EditionParts): LoadedEdition {
  let own = linked.get(compiled);
  if (own === undefined) linked.set(compiled, (own = link(files, compiled)));
  return { space, number, ...own };
}

function link(files: MailFiles, compiled: CompiledFolder): Linked {
  const project = linkFolder(files);
  const templates = new Map<string, ReadyTemplate>();
  for (const [name, template] of compiled.templates) {
    const source = project.templates.get(name);
    if (source === undefined) continue;
    const renderers = new Map<string, Renderer>();
    templates.set(name, {
      files: source,
      compiled: template,
      render: (locale) => {
        const program = programFor(template, locale, project.settings.locale);
        if (program === undefined) return undefined;
        let renderer = renderers.get(program.locale);
        if (renderer === undefined) renderers.set(program.locale, (renderer = prepare(program)));
        return { program, renderer };
      },
    });
  }
  let rules: ReadonlyMap<string, Rule> | undefined;
  let schedules: ReadonlyMap<string, Schedule> | undefined;
  return {
    project,
    templates,
    rules: () => (rules ??= compileRules(project).rules),
    schedules: () => (schedules ??= compileSchedules(project).schedules),
  };
}

function programFor(template: CompiledTemplate, locale: string | undefined, own: string): Program | undefined {
  return lookUp(locale, own)
    .map((tag) => template.programs.get(tag))
    .find((value) => value !== undefined);
}

export interface Editions {
  /** Publishes a mail folder to a space. @throws Refusal when it has errors, or cannot be compiled within its bounds */
  readonly publish: (space: string, files: MailFiles, now: number) => Promise<EditionRow>;
  /** An edition, compiled when it is first needed; undefined where there is none. */
  readonly get: (space: string, number: number) => Promise<LoadedEdition | undefined>;
  readonly current: (space: string) => Promise<LoadedEdition | undefined>;
  /** The one in use, if it is in memory. */
  readonly loaded: (space: string) => LoadedEdition | undefined;
  /** What an edition is made of, for those who load it elsewhere. */
  readonly parts: (space: string, number: number) => Promise<EditionParts | undefined>;
}

export interface EditionParts {
  readonly files: MailFiles;
  readonly compiled: CompiledFolder;
}

/** Editions in memory: compiled in a thread when first needed, the least recently used given up when there are many. */
export function editionCache(store: Store, compiler: MailFolderCompiler, most = 8): Editions {
  const loading = new LRUCache<string, Promise<LoadedEdition | undefined>>({ max: most });
  const ready = new LRUCache<string, LoadedEdition>({ max: most });

  function filesOf(space: string, number: number): MailFiles | undefined {
    if (number === BUILT_IN) return BUILT_IN_FOLDER;
    const row = store.editions.find(space, number);
    return row === undefined ? undefined : store.editions.files(row);
  }

  async function parts(space: string, number: number): Promise<EditionParts | undefined> {
    const files = filesOf(space, number);
    return files === undefined ? undefined : { files, compiled: (await compiler.compile(files)).compiled };
  }

  async function load(space: string, number: number): Promise<LoadedEdition | undefined> {
    const found = await parts(space, number);
    return found === undefined ? undefined : editionOf(space, number, found);
  }

  function keep(space: string, number: number, edition: Promise<LoadedEdition | undefined>): Promise<LoadedEdition | undefined> {
    const key = `${space}/${number}`;
    loading.set(key, edition);
    edition.then(
      (loaded) => {
        if (loaded === undefined) loading.delete(key);
        else ready.set(key, loaded);
      },
      // What failed is tried again by the next who asks.
      () => loading.delete(key),
    );
    return edition;
  }

  const get = (space: string, number: number): Promise<LoadedEdition | undefined> =>
    loading.get(`${space}/${number}`) ?? keep(space, number, load(space, number));

  return {
    async publish(space, files, now) {
      let result: CompileResult;
      try {
        result = await compiler.compile(files);
      } catch (error) {
        if (!(error instanceof ThreadFault)) throw error;
        throw notPublished(`The mail folder of space "${space}" cannot be compiled: ${error.message}`);
      }
      if (result.errors !== undefined)
        throw notPublished(`The mail folder of space "${space}" has errors:\n\n${result.errors.join('\n\n')}`);
      const row = await store.write((tx) => store.editions.publish(tx, space, files, now));
      await keep(space, row.number, Promise.resolve(editionOf(space, row.number, { files, compiled: result.compiled })));
      return row;
    },
    get,
    async current(space) {
      const number = store.editions.currentNumber(space);
      return number === undefined ? undefined : get(space, number);
    },
    loaded: (space) => {
      const number = store.editions.currentNumber(space);
      return number === undefined ? undefined : ready.get(`${space}/${number}`);
    },
    parts,
  };
}
