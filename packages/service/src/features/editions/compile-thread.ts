import { linkFolder } from '@verbalis/core/folder';
import { describe, hasErrors } from '@verbalis/core/problems';
import { compileFolder } from '@verbalis/core/program';
import { inThread } from '../../kernel/thread.js';
import type { CompileResult } from './compile.js';

/** Errors that are described at most. */
const MOST_SHOWN = 10;

inThread(() => ({
  compile: (files: ReadonlyMap<string, Uint8Array>): CompileResult => {
    const project = linkFolder(files);
    const compiled = compileFolder(project);
    if (!hasErrors(compiled.problems)) return { compiled };
    const errors = compiled.problems
      .filter((problem) => problem.severity === 'error')
      .slice(0, MOST_SHOWN)
      .map((problem) => describe(problem, project.texts.get(problem.place.file)));
    return { errors, compiled };
  },
}));
