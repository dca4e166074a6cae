import { classesIn, cssFaults } from '../css/index.js';
import type { MailProject } from '../folder/index.js';
import { didYouMean, SourceText, warning, type Problem } from '../problems/index.js';
import type { CompiledTemplate } from './template.js';

/** What is wrong in the style sheets of a folder: browsers and mail clients pass over it in silence. */
export function sheetFaults(project: MailProject): Problem[] {
  return [...project.styles].flatMap(([file, text]) => {
    const source = new SourceText(file, text);
    return cssFaults(text).map(({ offset, message }) =>
      warning('css-syntax', source.place(offset), `This CSS is not well formed: ${message}.`, 'What cannot be read is left out.'),
    );
  });
}

/** Classes for which a style sheet has rules and that no mail of the folder has. */
export function strangeClasses(project: MailProject, templates: readonly CompiledTemplate[]): Problem[] {
  // A template with errors has no HTML to look at, so nothing is known of its classes.
  if (templates.some((template) => template.programs.size === 0)) return [];
  const known = new Set(templates.flatMap((template) => [...(template.classes ?? [])]));
  if (known.size === 0) return [];
  return [...project.styles].flatMap(([file, text]) => {
    const source = new SourceText(file, text);
    return classesIn(text)
      .filter(({ name }) => !known.has(name))
      .map(({ name, offset }) =>
        warning('class-unknown', source.place(offset, name.length + 1), `No mail has the class "${name}".`, didYouMean(name, known)),
      );
  });
}
