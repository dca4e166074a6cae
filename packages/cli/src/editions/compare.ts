import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import type { Client } from '@verbalis/client';
import { compareFolders, type Comparison, type RenderingChange } from '@verbalis/core/comparison';
import type { MailFiles } from '@verbalis/core/folder';
import { readMailFolder } from '@verbalis/service/mail-folder';
import { makeFolder } from '../out-file.js';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { changesText } from './changes.js';

export interface CompareOptions {
  readonly from: string;
  readonly to: string;
  /** A folder for a page with pictures. */
  readonly pictures?: string;
  /** Only which files differ. */
  readonly filesOnly?: boolean;
}

type FileChange = { readonly path: string; readonly change: 'added' | 'changed' | 'removed' };

/** One side of a comparison: an edition by its number, or a mail folder on the disk. */
interface Side {
  readonly name: string;
  readonly files: () => Promise<MailFiles>;
  /** Paths with the hash of each file. */
  readonly manifest: Readonly<Record<string, string>>;
}

const hashOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** @param client is asked for only where an edition is needed */
async function sideOf(text: string, client: () => Client): Promise<Side> {
  if (/^\d+$/.test(text)) {
    const number = Number(text);
    const { manifest } = await client().editions.get(number);
    return { name: `edition ${number}`, manifest, files: () => filesOf(client(), number, manifest) };
  }
  if (!existsSync(join(text, 'mail.yaml')))
    throw new UsageError(
      `"${text}" is neither the number of an edition nor a mail folder.`,
      '"verbalis editions list" shows the editions; a mail folder holds mail.yaml.',
    );
  const files = await readMailFolder(text);
  return {
    name: text,
    manifest: Object.fromEntries([...files].map(([path, bytes]) => [path, hashOf(bytes)])),
    files: () => Promise.resolve(files),
  };
}

/** Files that are fetched at once. */
const AT_ONCE = 8;

async function filesOf(client: Client, number: number, manifest: Readonly<Record<string, string>>): Promise<MailFiles> {
  const out = new Map<string, Uint8Array>();
  const left = Object.keys(manifest).reverse();
  const next = async (): Promise<void> => {
    for (let path = left.pop(); path !== undefined; path = left.pop()) out.set(path, await client.editions.file(number, path));
  };
  await Promise.all(Array.from({ length: AT_ONCE }, next));
  return out;
}

function fileChanges(before: Side['manifest'], after: Side['manifest']): FileChange[] {
  return [...new Set([...Object.keys(before), ...Object.keys(after)])].sort().flatMap((path): FileChange[] => {
    if (before[path] === after[path]) return [];
    return [{ path, change: before[path] === undefined ? 'added' : after[path] === undefined ? 'removed' : 'changed' }];
  });
}

/** Compares editions and mail folders: their files, and what readers see of each sample in each language. @returns 1 if anything differs */
export async function compare(client: () => Client, options: CompareOptions, output: Output): Promise<ExitCode> {
  const [before, after] = [await sideOf(options.from, client), await sideOf(options.to, client)];
  const changes = fileChanges(before.manifest, after.manifest);
  if (changes.length === 0) {
    output.result({ changes, comparison: undefined }, 'Nothing differs.');
    return 0;
  }
  if (options.filesOnly === true) {
    output.result({ changes }, changesText(changes, output));
    return 1;
  }
  const comparison = compareFolders(await before.files(), await after.files(), Date.now());
  let page: string | undefined;
  if (options.pictures !== undefined) {
    makeFolder(options.pictures);
    const { writePictures } = await import('./pictures.js');
    page = await writePictures({ folder: options.pictures, names: [before.name, after.name], comparison }, output);
  }
  const renderings = comparison.renderings.map((rendering) =>
    Object.fromEntries(Object.entries(rendering).filter(([key]) => key !== 'html')),
  );
  const text = [changesText(changes, output), '', comparisonText(comparison, output), ...(page === undefined ? [] : ['', `made ${page}`])];
  output.result({ changes, comparison: { ...comparison, renderings }, ...(page === undefined ? {} : { page }) }, text.join('\n'));
  return 1;
}

const times = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;

function comparisonText({ same, renderings, advice, broken }: Comparison, output: Output): string {
  const { color } = output;
  const out: string[] = [];
  for (const { template, side, problem } of broken)
    out.push(
      color.red(
        `${template} cannot be rendered ${side === 'before' ? 'as it was' : 'any more'}: ${problem.message} (${problem.place.file}:${problem.place.line})`,
      ),
    );
  for (const group of grouped(renderings)) out.push(renderingText(group, output));
  for (const { template, change, problem } of advice) {
    const mark = change === 'added' ? color.yellow('+') : color.green('-');
    out.push(`${mark} ${template}: ${problem.severity} ${color.dim(problem.code)} ${problem.message}`);
  }
  const sum = `${times(renderings.length, 'email')} of ${renderings.length + same} ${renderings.length === 1 ? 'differs' : 'differ'}`;
  return [...out, renderings.length === 0 ? `No email of ${same} differs for its readers.` : sum].join('\n');
}

/** Samples of a template that differ in the same way, together: each difference is printed once. */
function grouped(renderings: readonly RenderingChange[]): RenderingChange[][] {
  const groups = new Map<string, RenderingChange[]>();
  for (const rendering of renderings) {
    const { template, locale, change, subject, preview, words, text, links } = rendering;
    const key = JSON.stringify([template, locale, change, subject, preview, words, text, links]);
    groups.set(key, [...(groups.get(key) ?? []), rendering]);
  }
  return [...groups.values()];
}

function renderingText(group: readonly RenderingChange[], { color }: Output): string {
  const [first] = group as [RenderingChange, ...RenderingChange[]];
  const { template, locale, change, subject, preview, text, links, bytes } = first;
  const samples = group.map(({ sample }) => sample).join(', ');
  const size = change === 'changed' && bytes.before !== bytes.after ? `, HTML ${bytes.before} → ${bytes.after} bytes` : '';
  const lines = [color.bold(`${template} · ${locale} · ${samples}`) + (change === 'changed' ? size : ` ${change}`)];
  const pair = (name: string, texts: { readonly before: string; readonly after: string } | undefined): void => {
    if (texts !== undefined) lines.push(color.red(`  - ${name}: ${texts.before}`), color.green(`  + ${name}: ${texts.after}`));
  };
  pair('subject', subject);
  pair('preview', preview);
  for (const line of text)
    lines.push(
      line.mark === '-'
        ? color.red(`  - ${line.text}`)
        : line.mark === '+'
          ? color.green(`  + ${line.text}`)
          : color.dim(`    ${line.text}`),
    );
  for (const { href } of links.removed) lines.push(color.red(`  - link ${href}`));
  for (const { href } of links.added) lines.push(color.green(`  + link ${href}`));
  if (change === 'changed' && lines.length === 1) lines.push('  The words are the same; the HTML differs.');
  return `${lines.join('\n')}\n`;
}
