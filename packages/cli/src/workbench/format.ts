import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { formatSource, openFolder } from '@verbalis/core/editing';
import { readMailFolder } from '@verbalis/service/mail-folder';
import type { ExitCode, Output } from '../output.js';

export interface FormatOptions {
  readonly check?: boolean;
  readonly json?: boolean;
}

/** Sources with expressions: the others are JSON, YAML and CSS, for which every editor has a formatter. */
const SOURCES = /^(?:(?:layouts|blocks)\/[^/]+\.md|templates\/[^/]+\/message(?:\.[A-Za-z0-9-]+)?\.(?:md|html|txt))$/;

/** Formats the sources of a mail folder in place. @returns with `check`, 1 if some are not formatted */
export async function format(folder: string, options: FormatOptions, output: Output): Promise<ExitCode> {
  const files = await readMailFolder(folder);
  const { project, context } = openFolder(files);
  const changed: { readonly path: string; readonly text: string }[] = [];
  for (const path of [...files.keys()].filter((name) => SOURCES.test(name)).sort()) {
    const text = project.texts.get(path) ?? '';
    const formatted = formatSource(path, text, context.modes);
    if (formatted !== text) changed.push({ path, text: formatted });
  }
  const isCheck = options.check === true;
  if (!isCheck) for (const { path, text } of changed) await writeFile(join(folder, path), text);
  const paths = changed.map(({ path }) => path);
  const say = isCheck ? 'not formatted' : 'formatted';
  const words =
    paths.length === 0 ? 'Every source is formatted.' : paths.map((path) => `${path} ${isCheck ? 'is not' : 'was'} formatted`).join('\n');
  output.result({ [isCheck ? 'unformatted' : 'formatted']: paths }, words);
  if (isCheck && paths.length > 0)
    output.note(`${paths.length} source${paths.length === 1 ? ' is' : 's are'} ${say}: "verbalis format ${folder}" does it.`);
  return isCheck && paths.length > 0 ? 1 : 0;
}
