import { readdir, readFile, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { mailsIn, readReturn, type ReturnReading } from '@verbalis/core/returns';
import { UsageError, type ExitCode, type Output } from '../output.js';

/** A mail that somebody wants to have read, and where it stands. */
export interface FoundMail {
  readonly file: string;
  readonly bytes: Uint8Array;
}

async function filesOf(path: string): Promise<string[]> {
  const found = await stat(path).catch(() => undefined);
  if (found === undefined)
    throw new UsageError(`There is no file "${path}".`, 'Name .eml files, mbox files, Maildirs or folders of .eml files.');
  if (!found.isDirectory()) return [path];
  const entries = await readdir(path, { withFileTypes: true });
  const folders = entries.filter((one) => one.isDirectory()).map((one) => one.name);
  // A Maildir keeps its mails in new and cur; tmp holds what is not finished.
  const inside = folders.includes('cur') || folders.includes('new') ? ['new', 'cur'].filter((one) => folders.includes(one)) : [''];
  const out: string[] = [];
  for (const folder of inside)
    for (const entry of await readdir(join(path, folder), { withFileTypes: true }))
      if (entry.isFile() && !basename(entry.name).startsWith('.')) out.push(join(path, folder, entry.name));
  return out.sort();
}

/** Every mail of files, mbox files, Maildirs and folders, one after the other. */
export async function* mailsOf(paths: readonly string[]): AsyncGenerator<FoundMail> {
  for (const path of paths)
    for (const file of await filesOf(path)) {
      const mails = [...mailsIn(await readFile(file))];
      for (const [i, bytes] of mails.entries()) yield { file: mails.length === 1 ? file : `${file}#${i + 1}`, bytes };
    }
}

/** The form that other programs build on: every field is there, what is not known is null. */
export function readingLine(file: string, reading: ReturnReading): string {
  const { kind, token = null, originalMessageId = null, envelopeId = null, feedbackType = null, recipients } = reading;
  return JSON.stringify({
    file,
    kind,
    token,
    originalMessageId,
    envelopeId,
    feedbackType,
    recipients: recipients.map((one) => ({
      address: one.address,
      action: one.action,
      status: one.status ?? null,
      replyCode: one.replyCode ?? null,
      cause: one.cause,
      permanent: one.permanent,
      diagnostic: one.diagnostic ?? null,
    })),
  });
}

/** Tells what mails say that came back. Needs no service. Ends with 1 when one of them is no return that can be read. */
export async function readReturns(
  paths: readonly string[],
  options: { json?: boolean; envelopeTo?: string },
  output: Output,
): Promise<ExitCode> {
  const { color } = output;
  let strange = 0;
  for await (const { file, bytes } of mailsOf(paths)) {
    const reading = readReturn(bytes, { envelopeTo: options.envelopeTo });
    if (options.json === true) {
      output.out(readingLine(file, reading));
      continue;
    }
    if (reading.kind === 'other' && reading.feedbackType === undefined) strange += 1;
    const about = [
      reading.token === undefined ? undefined : `token ${reading.token}`,
      reading.envelopeId === undefined ? undefined : `envelope ${reading.envelopeId}`,
      reading.originalMessageId === undefined ? undefined : `about <${reading.originalMessageId}>`,
      reading.feedbackType === undefined ? undefined : `feedback ${reading.feedbackType}`,
    ].filter((one) => one !== undefined);
    output.out(`${color.bold(file)}  ${reading.kind}${about.length === 0 ? '' : color.dim(`  ${about.join(', ')}`)}`);
    for (const one of reading.recipients) {
      const codes = [one.replyCode, one.status].filter((part) => part !== undefined).join(' ');
      const bad = one.action === 'failed' || one.action === 'delayed';
      const why = bad
        ? `  ${one.cause}${one.action === 'failed' ? (one.permanent ? ', for good' : ', for now') : ''} ${color.dim(`(${one.confidence}: ${one.evidence})`)}`
        : '';
      output.out(`  ${bad ? color.red('✗') : color.green('●')} ${one.address}  ${one.action}${codes === '' ? '' : `  ${codes}`}${why}`);
      if (one.diagnostic !== undefined) output.out(color.dim(`    ${one.diagnostic.slice(0, 200)}`));
    }
  }
  return strange > 0 && options.json !== true ? 1 : 0;
}
