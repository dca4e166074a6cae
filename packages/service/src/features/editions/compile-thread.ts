import { linkFolder } from '@verbalis/core/folder';
import { describe, hasErrors } from '@verbalis/core/problems';
import { compileFolder } from '@verbalis/core/program';
import { sendingProblems } from '@verbalis/core/schedules';
import { inThread } from '../../kernel/thread.js';
import type { CompileResult } from './compile.js';

/** Errors that are described at most. */
const MOST_SHOWN = 10;

inThread(() => ({
  compile: (files: ReadonlyMap<string, Uint8Array>): CompileResult => {
    const project = linkFolder(files);
    const compiled = compileFolder(project);
    const problems = [...compiled.problems, ...sendingProblems(project, compiled)];
    if (!hasErrors(problems)) return { compiled };
    const errors = problems
      .filter((problem) => problem.severity === 'error')
      .slice(0, MOST_SHOWN)
      .map((problem) => describe(problem, project.texts.get(problem.place.file)));
    return { errors, compiled };
  },
}));
