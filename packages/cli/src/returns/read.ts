import { readdir, readFile, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { phraseBook, USUAL_BOOK } from '@verbalis/core/phrases';
import { emailsIn, readReturn, type ReturnReading } from '@verbalis/core/returns';
import { readConfig } from '@verbalis/service/settings';
import { UsageError, type ExitCode, type Output } from '../output.js';

/** An email to read, and where it is. */
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
  const folders = entries.filter((entry) => entry.isDirectory()).map((entry) => entry.name);
  // A Maildir keeps its emails in new and cur; tmp holds what is not finished.
  const inside = folders.includes('cur') || folders.includes('new') ? ['new', 'cur'].filter((text) => folders.includes(text)) : [''];
  const out: string[] = [];
  for (const folder of inside)
    for (const entry of await readdir(join(path, folder), { withFileTypes: true }))
      if (entry.isFile() && !basename(entry.name).startsWith('.')) out.push(join(path, folder, entry.name));
  return out.sort();
}

/** Every mail of files, mbox files, Maildirs and folders, one after the other. */
export async function* emailsOf(paths: readonly string[]): AsyncGenerator<FoundMail> {
  for (const path of paths)
    for (const file of await filesOf(path)) {
      const emails = [...emailsIn(await readFile(file))];
      for (const [i, bytes] of emails.entries()) yield { file: emails.length === 1 ? file : `${file}#${i + 1}`, bytes };
    }
}

/** The form that other programs build on: every field is there, what is not known is null. */
function readingFor(file: string, reading: ReturnReading): unknown {
  const { kind, token = null, originalMessageId = null, envelopeId = null, feedbackType = null, recipients, about } = reading;
  return {
    file,
    kind,
    token,
    originalMessageId,
    envelopeId,
    feedbackType,
    ...(kind === 'feedback' ? { about } : {}),
    recipients: recipients.map((recipient) => ({
      address: recipient.address,
      action: recipient.action,
      status: recipient.status ?? null,
      replyCode: recipient.replyCode ?? null,
      cause: recipient.cause,
      permanent: recipient.permanent,
      diagnostic: recipient.diagnostic ?? null,
    })),
  };
}

/** Shows what emails that came back report. Needs no service. Exits with 1 if one of them is not a return that can be read. */
export async function readReturns(
  paths: readonly string[],
  options: { envelopeTo?: string; config?: string },
  output: Output,
): Promise<ExitCode> {
  const { color } = output;
  const book = options.config === undefined ? USUAL_BOOK : phraseBook(readConfig(options.config, process.env).settings.returns.phrases);
  let strange = 0;
  for await (const { file, bytes } of emailsOf(paths)) {
    const reading = readReturn(bytes, { envelopeTo: options.envelopeTo, book });
    if (reading.kind === 'other') strange += 1;
    const about = [
      reading.token === undefined ? undefined : `token ${reading.token}`,
      reading.envelopeId === undefined ? undefined : `envelope ${reading.envelopeId}`,
      reading.originalMessageId === undefined ? undefined : `about <${reading.originalMessageId}>`,
      reading.feedbackType === undefined ? undefined : `feedback ${reading.feedbackType}`,
    ].filter((value) => value !== undefined);
    const lines = [`${color.bold(file)}  ${reading.kind}${about.length === 0 ? '' : color.dim(`  ${about.join(', ')}`)}`];
    if (reading.recipients.length === 0) for (const address of reading.about) lines.push(`  ${address}`);
    for (const recipient of reading.recipients) {
      const codes = [recipient.replyCode, recipient.status].filter((part) => part !== undefined).join(' ');
      const bad = recipient.action === 'failed' || recipient.action === 'delayed';
      const why = bad
        ? `  ${recipient.cause}${recipient.action === 'failed' ? (recipient.permanent ? ', permanent' : ', temporary') : ''} ${color.dim(`(${recipient.confidence}: ${recipient.evidence})`)}`
        : '';
      lines.push(
        `  ${bad ? color.red('✗') : color.green('●')} ${recipient.address}  ${recipient.action}${codes === '' ? '' : `  ${codes}`}${why}`,
      );
      if (recipient.diagnostic !== undefined) lines.push(color.dim(`    ${recipient.diagnostic.slice(0, 200)}`));
    }
    output.line(readingFor(file, reading), lines.join('\n'));
  }
  return strange > 0 ? 1 : 0;
}
