import { createHash } from 'node:crypto';
import type { Client } from '@verbalis/client';
import { linkFolder } from '@verbalis/core/folder';
import { describe, hasErrors } from '@verbalis/core/problems';
import { compileFolder } from '@verbalis/core/program';
import { readMailFolder } from '@verbalis/service/mail-folder';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';

const MARKS = { added: '+', changed: '~', removed: '-' } as const;
type Change = { readonly path: string; readonly change: keyof typeof MARKS };

function changesText(changes: readonly Change[], { color }: Output): string {
  const paint = { added: color.green, changed: color.yellow, removed: color.red };
  return changes.map((change) => paint[change.change](`${MARKS[change.change]} ${change.path}`)).join('\n');
}

/** Checks a mail folder and makes it the space's edition. Only what the service does not have travels. */
export async function publish(client: Client, folder: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const files = await readMailFolder(folder);
  const project = linkFolder(files);
  const { problems } = compileFolder(project);
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
  if (json) output.out(JSON.stringify(answer, null, 2));
  else if (answer.changes.length === 0) output.out(`Nothing differs from edition ${answer.edition?.number ?? 0}.`);
  else output.out(`${changesText(answer.changes, output)}\nEdition ${answer.edition?.number ?? 0} is in use.`);
  return 0;
}

export async function listEditions(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { editions } = await client.editions.list();
  if (json) output.out(JSON.stringify({ editions }, null, 2));
  else
    output.out(
      tableText(
        [{ title: 'edition', right: true }, { title: 'published' }, { title: 'files', right: true }, { title: 'hash' }, { title: '' }],
        editions.map((edition) => [
          String(edition.number),
          edition.createdAt,
          String(edition.files),
          edition.hash.slice(0, 12),
          edition.inUse ? output.color.green('in use') : '',
        ]),
        output.color,
      ),
    );
  return 0;
}

function numberOf(text: string): number {
  if (!/^\d+$/.test(text)) throw new UsageError(`"${text}" is not a valid edition number.`, 'verbalis editions list shows them.');
  return Number(text);
}

export async function showEdition(client: Client, number: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const edition = await client.editions.get(numberOf(number));
  output.out(
    json
      ? JSON.stringify(edition, null, 2)
      : Object.entries(edition.manifest)
          .map(([path, hash]) => `${hash.slice(0, 12)}  ${path}`)
          .join('\n'),
  );
  return 0;
}

/** Ends with 1 when the editions differ. */
export async function diffEditions(
  client: Client,
  { from, to }: { readonly from: string; readonly to: string },
  { json = false }: { json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const { changes } = await client.editions.diff(numberOf(from), numberOf(to));
  output.out(json ? JSON.stringify({ changes }, null, 2) : changes.length === 0 ? 'Nothing differs.' : changesText(changes, output));
  return changes.length === 0 ? 0 : 1;
}

export async function useEdition(client: Client, number: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const edition = await client.editions.use({ number: numberOf(number) });
  output.out(json ? JSON.stringify(edition, null, 2) : `Edition ${edition.number} is in use.`);
  return 0;
}

export async function promoteEdition(
  client: Client,
  number: string,
  { from, to, fromKey, json = false }: { readonly from: string; readonly to: string; readonly fromKey?: string; readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const wanted = numberOf(number);
  const answer = await client.editions.promote({ number: wanted, from, ...(fromKey === undefined ? {} : { fromKey }) });
  const { edition, changes } = answer;
  if (json) output.out(JSON.stringify(answer, null, 2));
  else if (changes.length === 0)
    output.out(`Edition ${edition?.number ?? 0} of ${to}, which is in use, is the same as edition ${wanted} of ${from}.`);
  else
    output.out(
      `${changesText(changes, output)}\nEdition ${wanted} of ${from} is edition ${edition?.number ?? 0} of ${to} now, and in use (${(edition?.hash ?? '').slice(0, 12)}).`,
    );
  return 0;
}
