import { createHash } from 'node:crypto';
import type { Client } from '@verbalis/client';
import { linkFolder } from '@verbalis/core/folder';
import { describe, hasErrors } from '@verbalis/core/problems';
import { compileFolder } from '@verbalis/core/program';
import { sendingProblems } from '@verbalis/core/schedules';
import { readMailFolder } from '@verbalis/service/mail-folder';
import type { ExitCode, Output } from '../output.js';
import { changesText } from './changes.js';

/** Checks a mail folder and makes it the space's edition. Only what the service does not have travels. */
export async function publish(client: Client, folder: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const files = await readMailFolder(folder);
  const project = linkFolder(files);
  const compiled = compileFolder(project);
  const problems = [...compiled.problems, ...sendingProblems(project, compiled)];
  if (hasErrors(problems)) {
    const errors = problems.filter((problem) => problem.severity === 'error');
    for (const error of errors) output.note(describe(error, project.texts.get(error.place.file)));
    output.note(`Not published: ${errors.length} ${errors.length === 1 ? 'error' : 'errors'}.`);
    return 1;
  }
  const manifest: Record<string, string> = {};
  const bytes = new Map<string, Uint8Array>();
  for (const [path, content] of files) {
    const hash = createHash('sha256').update(content).digest('hex');
    manifest[path] = hash;
    bytes.set(hash, content);
  }
  let answer = await client.editions.publish({ manifest, contents: {} });
  if (answer.missing.length > 0) {
    const contents = Object.fromEntries(answer.missing.map((hash) => [hash, Buffer.from(bytes.get(hash) ?? []).toString('base64')]));
    answer = await client.editions.publish({ manifest, contents });
  }
  if (json) output.json(answer);
  else if (answer.changes.length === 0) output.out(`Nothing differs from edition ${answer.edition?.number ?? 0}.`);
  else output.out(`${changesText(answer.changes, output)}\nEdition ${answer.edition?.number ?? 0} is in use.`);
  return 0;
}
