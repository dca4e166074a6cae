import type { MailFiles, TemplateFiles } from '../folder/index.js';
import type { Place, Problem } from '../problems/index.js';
import type { CompiledTemplate } from '../program/index.js';
import { sendingProblems } from '../schedules/index.js';
import type { EditedFolder } from './folder.js';

/** A text in place of what stands at a place. */
export interface Edit {
  readonly place: Place;
  readonly text: string;
}

/** Why nothing is changed, for people. */
export interface Refused {
  readonly refused: string;
}

/** The files of a folder after edits, which do not overlap. */
export function applied(files: MailFiles, edits: readonly Edit[]): MailFiles {
  const out = new Map(files);
  for (const file of new Set(edits.map(({ place }) => place.file))) {
    let text = new TextDecoder().decode(files.get(file));
    const own = edits.filter(({ place }) => place.file === file).sort((a, b) => b.place.offset - a.place.offset);
    for (const { place, text: by } of own) text = `${text.slice(0, place.offset)}${by}${text.slice(place.offset + place.length)}`;
    out.set(file, new TextEncoder().encode(text));
  }
  return out;
}

/** A problem that a folder has and did not have before, whatever is renamed in its words. */
export function newProblem(before: EditedFolder, after: EditedFolder, templates: readonly TemplateFiles[]): Problem | undefined {
  const problemsOf = (folder: EditedFolder): Problem[] => [
    ...folder.shared,
    ...templates.flatMap(({ name }) => folder.compiled(name)?.problems ?? []),
    ...problemsOfSending(folder),
  ];
  const counts = new Map<string, number>();
  const key = ({ code, place }: Problem): string => `${code} ${place.file}`;
  for (const problem of problemsOf(before)) counts.set(key(problem), (counts.get(key(problem)) ?? 0) + 1);
  for (const problem of problemsOf(after)) {
    const left = (counts.get(key(problem)) ?? 0) - 1;
    if (left < 0) return problem;
    counts.set(key(problem), left);
  }
  return undefined;
}

/** Problems of what sends the templates of a folder: signal rules and schedules. */
export function problemsOfSending(folder: EditedFolder): Problem[] {
  const { project } = folder;
  if (project.rules.size + project.schedules.size === 0) return [];
  const templates = new Map<string, CompiledTemplate>();
  for (const name of project.templates.keys()) {
    const compiled = folder.compiled(name);
    if (compiled !== undefined) templates.set(name, compiled);
  }
  return sendingProblems(project, { templates });
}
