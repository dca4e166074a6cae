import { linkFolder, type MailFiles, type MailProject, type TemplateFiles } from '@verbalis/core/folder';
import { describe, hasErrors } from '@verbalis/core/problems';
import { compileFolder, type CompiledTemplate } from '@verbalis/core/program';
import { lookUp } from '@verbalis/core/strings';
import { prepare, type Program, type Renderer } from '@verbalis/core/render';
import type { EditionRow, Store } from '../store/index.js';

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
}

/** A mail folder that has errors and so cannot be published. */
export class EditionError extends Error {
  override name = 'EditionError';
}

function load(space: string, number: number, files: MailFiles): LoadedEdition {
  const project = linkFolder(files);
  const compiled = compileFolder(project);
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
  return { space, number, project, templates };
}

function programFor(template: CompiledTemplate, locale: string | undefined, own: string): Program | undefined {
  return lookUp(locale, own)
    .map((tag) => template.programs.get(tag))
    .find((one) => one !== undefined);
}

/** Number of the edition that the service itself brings: mails that need no mail folder. */
export const BUILT_IN = 0;
export const OPERATOR_NOTE = 'operator-note';

const BUILT_IN_FILES: Readonly<Record<string, string>> = {
  'mail.yaml': 'name: Built in\nlocale: en\n',
  'templates/operator-note/data.schema.json': JSON.stringify({
    type: 'object',
    additionalProperties: false,
    required: ['subject', 'lines', 'space'],
    properties: {
      subject: { type: 'string' },
      space: { type: 'string' },
      lines: { type: 'array', items: { type: 'string' } },
    },
  }),
  'templates/operator-note/message.md':
    '---\nsubject: "{{ subject }}"\npreview: "A note to the operator of {{ space }}."\n---\n:::card\n# {{ subject }}\n\n:::each line in lines\n{{ line }}\n:::\n:::\n\n:::fineprint\nA note to the operator of the space {{ space }}.\n:::\n',
};

export type Editions = ReturnType<typeof editionCache>;

/** Editions in memory: compiled when first needed, the oldest given up when there are many. */
export function editionCache(store: Store, most = 8) {
  const kept = new Map<string, LoadedEdition>();
  const keep = (edition: LoadedEdition): LoadedEdition => {
    kept.set(`${edition.space}/${edition.number}`, edition);
    if (kept.size > most) kept.delete(kept.keys().next().value ?? '');
    return edition;
  };
  return {
    /** Publishes a mail folder to a space. @throws EditionError when it has errors */
    publish(space: string, files: MailFiles, now: number): { edition: LoadedEdition; row: EditionRow } {
      const project = linkFolder(files);
      const { problems } = compileFolder(project);
      if (hasErrors(problems)) {
        const told = problems
          .filter((one) => one.severity === 'error')
          .slice(0, 10)
          .map((one) => describe(one, project.texts.get(one.place.file)));
        throw new EditionError(`The mail folder of space "${space}" has errors:\n\n${told.join('\n\n')}`);
      }
      const row = store.editions.publish(space, files, now);
      return { row, edition: keep(load(space, row.number, files)) };
    },
    get(space: string, number: number): LoadedEdition | undefined {
      const found = kept.get(`${space}/${number}`);
      if (found !== undefined) return found;
      if (number === BUILT_IN)
        return keep(load(space, BUILT_IN, new Map(Object.entries(BUILT_IN_FILES).map(([path, text]) => [path, Buffer.from(text)]))));
      const row = store.editions.find(space, number);
      return row === undefined ? undefined : keep(load(space, number, store.editions.files(row)));
    },
    /** A picture of any edition, by the hash in its address. */
    asset(hash: string): Uint8Array | undefined {
      return store.editions.blob(hash);
    },
    current(space: string): LoadedEdition | undefined {
      const number = store.editions.currentNumber(space);
      return number === undefined ? undefined : this.get(space, number);
    },
  };
}
