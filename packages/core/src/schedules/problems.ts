import type { MailProject } from '../folder/index.js';
import type { Problem } from '../problems/index.js';
import type { CompiledFolder } from '../program/index.js';
import { compileRules } from '../signals/index.js';
import { compileSchedules } from './compile.js';

/** What is wrong with when and to whom a mail folder sends: its signal rules and its schedules. */
export function sendingProblems(project: MailProject, compiled?: Pick<CompiledFolder, 'templates'>): Problem[] {
  return [...compileRules(project).problems, ...compileSchedules(project, (name) => compiled?.templates.get(name)).problems];
}
