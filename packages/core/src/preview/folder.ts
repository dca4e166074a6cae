import { createHash } from 'node:crypto';
import { adviseTemplate, adviseTheme, CLIP_LIMIT, isSilenced } from '../check/index.js';
import { linkFolder, type MailFiles, type MailProject } from '../folder/index.js';
import { linksOf, type ShownLink } from '../inspect/index.js';
import { isFault, mailBytes, parseMailbox, writeMail } from '../mime/index.js';
import { Fault, didYouMean, hasErrors, inReadingOrder, problem, type Problem } from '../problems/index.js';
import { folderCompiler } from '../program/index.js';
import { sendingProblems } from '../schedules/index.js';
import { prepare, type Renderer, type Rendering } from '../render/index.js';
import { lookUp } from '../strings/index.js';
import type { DataProblem } from '../typing/index.js';
import { withAssets } from './shown.js';

/** One template at a glance. */
export interface TemplateState {
  readonly name: string;
  readonly topic: string | undefined;
  readonly kind: 'md' | 'html';
  /** Locales in which it can be rendered. */
  readonly locales: readonly string[];
  /** Locales that other templates of the folder have and this one does not. */
  readonly untranslated: readonly string[];
  readonly samples: readonly string[];
  readonly problems: readonly Problem[];
  /** Of the files that make it, with all it shares: changes when it may look different. */
  readonly fingerprint: string;
}

/** What to render. */
export interface RenderOptions {
  /** A sample's name; the typical one, or the first, when neither it nor data is given. */
  readonly sample?: string | undefined;
  readonly data?: unknown;
  readonly locale?: string | undefined;
  /** Milliseconds since the epoch, for `relative` and the date of the mail. */
  readonly now: number;
}

/** An email that was rendered to be looked at. */
export interface MailPreview {
  readonly locale: string;
  readonly subject: string;
  readonly preview: string;
  /** With the folder's pictures in it, so that it can be shown from anywhere. */
  readonly html: string;
  /** As it is sent. */
  readonly htmlSource: string;
  readonly text: string;
  /** The whole mail (RFC 5322). */
  readonly source: Uint8Array;
  /** Bytes of the HTML part, and after how many some webmail cuts. */
  readonly htmlBytes: number;
  readonly clipLimit: number;
  readonly links: readonly ShownLink[];
}

export interface FolderPreview {
  readonly project: MailProject;
  readonly files: MailFiles;
  /** Of the folder and what its templates share. */
  readonly problems: readonly Problem[];
  /** All templates, also those that cannot be compiled. */
  readonly names: readonly string[];
  /** Undefined for one that was not looked at yet: looking at it costs some milliseconds. */
  readonly known: (name: string) => TemplateState | undefined;
  /** Compiles a template and looks at all its samples. */
  readonly stateOf: (name: string, now: number) => TemplateState | undefined;
  /** Renders one mail. Faults of the data and of the template are values. */
  readonly render: (
    name: string,
    wish: RenderOptions,
  ) => { readonly mail: MailPreview | undefined; readonly dataProblems: readonly DataProblem[]; readonly problems: readonly Problem[] };
}

function hashOf(files: MailFiles, paths: readonly string[], seed: string): string {
  const hash = createHash('sha256').update(seed);
  for (const path of paths) hash.update(`\0${path}\0`).update(files.get(path) ?? '');
  return hash.digest('hex').slice(0, 20);
}

/**
 * A mail folder that is being edited. Nothing is compiled before it is looked at, and what `before` knows of files that have not changed is
 * taken over: after a change only what may have changed costs anything.
 */
export function previewOf(files: MailFiles, before?: FolderPreview): FolderPreview {
  const project = linkFolder(files, before?.project);
  const compiler = folderCompiler(project);
  const shared: string[] = [];
  const byTemplate = new Map<string, string[]>();
  for (const path of [...files.keys()].sort()) {
    const name = /^templates\/([^/]+)\//.exec(path)?.[1];
    // No template depends on what signals lead to.
    if (/^(?:signals|schemas)\//.test(path)) continue;
    if (name === undefined) shared.push(path);
    else byTemplate.set(name, [...(byTemplate.get(name) ?? []), path]);
  }
  const seed = hashOf(files, shared, '');
  const fingerprint = (name: string): string => hashOf(files, byTemplate.get(name) ?? [], seed);
  const states = new Map<string, TemplateState>();
  const renderers = new Map<string, Renderer>();
  const folderLocales = new Set([project.settings.locale, ...project.strings.byLocale.keys()]);
  const ofTemplate = (name: string, list: readonly Problem[]): Problem[] =>
    list.filter(({ place }) => place.file.startsWith(`templates/${name}/`) || place.file === `templates/${name}`);

  // Taken over now, so that what was before can go: a folder that is worked on has a long history.
  for (const name of byTemplate.keys()) {
    const old = before?.known(name);
    if (old !== undefined && old.fingerprint === fingerprint(name)) states.set(name, old);
  }

  function stateOf(name: string, now: number): TemplateState | undefined {
    if (!byTemplate.has(name)) return undefined;
    const kept = states.get(name);
    if (kept !== undefined) return kept;
    const template = project.templates.get(name);
    const compiled = compiler.template(name);
    const advice = template === undefined || compiled === undefined ? [] : adviseTemplate(project, template, compiled, now);
    const locales = [...(compiled?.programs.keys() ?? [])];
    const has = new Set(locales);
    const state: TemplateState = {
      name,
      topic: compiled?.topic,
      kind: template?.sources.get('')?.kind ?? 'md',
      locales,
      untranslated: locales.length === 0 ? [] : [...folderLocales].filter((tag) => !has.has(tag)),
      samples: template?.samples.map((sample) => sample.name) ?? [],
      problems: inReadingOrder([...ofTemplate(name, project.problems), ...(compiled?.problems ?? []), ...advice]).filter(
        (found) => !isSilenced(found, project, compiled?.silence),
      ),
      fingerprint: fingerprint(name),
    };
    states.set(name, state);
    return state;
  }

  function render(name: string, wish: RenderOptions): ReturnType<FolderPreview['render']> {
    const template = project.templates.get(name);
    const compiled = compiler.template(name);
    const problems = [
      ...ofTemplate(name, project.problems),
      ...(compiled?.problems ?? []),
      ...compiler.problems.filter(({ severity }) => severity === 'error'),
    ];
    const none = (dataProblems: readonly DataProblem[] = [], more: readonly Problem[] = []) => ({
      mail: undefined,
      dataProblems,
      problems: inReadingOrder([...problems, ...more]),
    });
    if (template === undefined || compiled === undefined) return none();
    const own = project.settings.locale;
    const program = lookUp(wish.locale ?? own, own)
      .map((tag) => compiled.programs.get(tag))
      .find((value) => value !== undefined);
    if (program === undefined) return none();
    const usual = template.samples.find(({ name }) => name === 'typical') ?? template.samples[0];
    const sample = wish.sample === undefined ? usual : template.samples.find(({ name }) => name === wish.sample);
    if (wish.data === undefined && sample === undefined) {
      const names = template.samples.map(({ name }) => name);
      const message = wish.sample === undefined ? 'This template has no sample.' : `There is no sample "${wish.sample}".`;
      return none([{ path: '', message, hint: didYouMean(wish.sample ?? '', names) ?? 'Put data into samples/typical.json.' }]);
    }
    const data = wish.data === undefined ? sample?.data : wish.data;
    const faults = template.checkData(data);
    if (faults.length > 0) return none(faults);
    let renderer = renderers.get(`${name}/${program.locale}`);
    if (renderer === undefined) renderers.set(`${name}/${program.locale}`, (renderer = prepare(program)));
    let rendering: Rendering;
    try {
      rendering = renderer({ data, now: wish.now });
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      const at = /^(.*):(\d+):(\d+)$/.exec(error.at);
      const place = { file: at?.[1] ?? '', line: Number(at?.[2] ?? 1), column: Number(at?.[3] ?? 1), offset: 0, length: 1 };
      return none([], [problem(error.code, place, error.message, error.hint)]);
    }
    return {
      mail: {
        locale: program.locale,
        subject: rendering.subject,
        preview: rendering.preview,
        html: withAssets(rendering.html, project),
        htmlSource: rendering.html,
        text: rendering.text,
        source: sourceOf(project, { rendering, program, sender: compiled.sender, now: wish.now }),
        htmlBytes: Buffer.byteLength(rendering.html),
        clipLimit: CLIP_LIMIT,
        links: linksOf(rendering.html),
      },
      dataProblems: [],
      problems: inReadingOrder(problems),
    };
  }

  return {
    project,
    files,
    problems: inReadingOrder([
      ...compiler.problems.filter(({ place }) => !place.file.startsWith('templates/')),
      ...sendingProblems(project),
      ...(hasErrors(project.problems) ? [] : adviseTheme(project)),
    ]),
    names: [...byTemplate.keys()].sort((a, b) => a.localeCompare(b)),
    known: (name) => states.get(name),
    stateOf,
    render,
  };
}

/** The whole email, as it would be sent. */
function sourceOf(
  project: MailProject,
  {
    rendering,
    program,
    sender,
    now,
  }: {
    readonly rendering: Rendering;
    readonly program: {
      readonly locale: string;
      readonly carried: readonly { readonly path: string; readonly id: string; readonly type: string }[];
    };
    readonly sender: string | undefined;
    readonly now: number;
  },
): Uint8Array {
  const author = parseMailbox(sender ?? project.settings.sender ?? 'Sender <sender@localhost.example>');
  const from = isFault(author) ? { name: 'Sender', local: 'sender', domain: 'localhost.example' } : author;
  const pictures = program.carried.flatMap(({ path, id, type }) => {
    const bytes = project.assets.get(path);
    if (bytes === undefined || !rendering.html.includes(`cid:${id}`)) return [];
    const name = path.slice(path.lastIndexOf('/') + 1);
    return [{ id: id, name, type: type, body: { size: bytes.length, chunks: () => [bytes] } }];
  });
  return mailBytes(
    writeMail({
      from,
      to: [{ name: '', local: 'recipient', domain: 'localhost.example' }],
      subject: rendering.subject,
      messageId: `preview@${from.domain}`,
      date: now,
      text: rendering.flowed,
      flowed: true,
      html: rendering.html,
      pictures,
      headers: [
        ['Auto-Submitted', 'auto-generated'],
        ['Content-Language', program.locale],
      ],
      boundary: '=_a-preview-of-verbalis',
    }),
  );
}
