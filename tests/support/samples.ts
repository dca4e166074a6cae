import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { linkFolder } from '@verbalis/core/folder';
import { compileFolder } from '@verbalis/core/program';
import type { Program } from '@verbalis/core/render';
import { DEMO_FOLDER } from './service.js';

/** A sample of a demo template in one of its languages. */
export interface SampleMail {
  readonly name: string;
  readonly template: string;
  readonly locale: string;
  readonly program: Program;
  readonly data: unknown;
}

/** The demo's mail folder, compiled, with every sample in every language. */
export function demoSamples() {
  const files = new Map<string, Buffer>();
  for (const entry of readdirSync(DEMO_FOLDER, { recursive: true, withFileTypes: true })) {
    const file = join(entry.parentPath, entry.name);
    if (entry.isFile()) files.set(file.slice(DEMO_FOLDER.length + 1), readFileSync(file));
  }
  const project = linkFolder(files);
  const compiled = compileFolder(project);
  const emails = [...compiled.templates].flatMap(([template, { programs }]) =>
    [...programs].flatMap(([locale, program]) =>
      (project.templates.get(template)?.samples ?? []).map((sample): SampleMail => ({
        name: `${template} ${sample.name} ${locale}`,
        template,
        locale,
        program,
        data: sample.data,
      })),
    ),
  );
  return { project, compiled, emails };
}
