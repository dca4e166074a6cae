import type { MailProject } from '../folder/index.js';
import { inReadingOrder, suggestion, SourceText, warning, type Problem } from '../problems/index.js';
import type { CompiledTemplate } from '../program/index.js';

/** The findings about a folder, without those that its authors silenced. */
export interface Told {
  readonly problems: readonly Problem[];
  /** How many were silenced. */
  readonly silenced: number;
}

/** Whether a template, or the whole folder, says not to hear of this. */
export function isSilenced({ code, severity }: Problem, project: MailProject, silence: ReadonlyMap<string, string> | undefined): boolean {
  return severity !== 'error' && (silence?.has(code) === true || Object.hasOwn(project.settings.silence, code));
}

/**
 * Leaves out what `silence:` in mail.yaml or in the front matter of a template names, each with its reason. Errors cannot be silenced. One that
 * silences nothing is reported, so that none outlives its cause.
 */
export function withoutSilenced(
  problems: readonly Problem[],
  project: MailProject,
  templates: Iterable<Pick<CompiledTemplate, 'name' | 'silence'>>,
): Told {
  const out: Problem[] = [];
  const used = new Set<string>();
  const byTemplate = new Map([...templates].map(({ name, silence }) => [name, silence ?? new Map<string, string>()]));
  const everywhere = project.settings.silence;
  for (const found of problems) {
    const template = /^templates\/([^/]+)\//.exec(found.place.file)?.[1];
    const silence = template === undefined ? undefined : byTemplate.get(template);
    const isOwn = silence?.has(found.code) === true;
    if (isSilenced(found, project, silence)) used.add(isOwn ? `${template ?? ''}\0${found.code}` : `\0${found.code}`);
    else out.push(found);
  }
  for (const code of Object.keys(everywhere)) if (!used.has(`\0${code}`)) out.push(unused(project, 'mail.yaml', code, problems));
  for (const [name, silence] of byTemplate) {
    const file = project.templates.get(name)?.sources.get('')?.file ?? `templates/${name}`;
    for (const code of silence.keys()) if (!used.has(`${name}\0${code}`)) out.push(unused(project, file, code, problems));
  }
  return { problems: inReadingOrder(out), silenced: problems.length - out.filter((problem) => problems.includes(problem)).length };
}

function unused(project: MailProject, file: string, code: string, problems: readonly Problem[]): Problem {
  const text =
    project.texts.get(file) ??
    [...project.templates.values()].flatMap(({ sources }) => [...sources.values()]).find((source) => source.file === file)?.text ??
    '';
  const place = new SourceText(file, text).place(Math.max(0, text.indexOf(code)), code.length);
  if (problems.some((found) => found.code === code && found.severity === 'error'))
    return warning(
      'silence-error',
      place,
      `"${code}" is an error here, and errors cannot be silenced.`,
      'Mend it, and leave the line out.',
    );
  return suggestion('silence-unused', place, `Nothing says "${code}" any more.`, 'Leave the line out.');
}
