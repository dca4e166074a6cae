import { constants, createWriteStream } from 'node:fs';
import { access, mkdir, open, rename } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { once } from 'node:events';
import type { Bytes } from '@verbalis/core/mime';
import { NOT_SENT, type Job, type Provider } from './provider.js';

export type FileTarget = { readonly folder: string } | { readonly mbox: string };

/** Lines that begin with "From " (after any number of ">") get a ">" more, so that an email does not end early (RFC 4155, mboxrd form). */
function* quotedLines(mail: Bytes): Generator<Buffer> {
  let rest = '';
  for (const chunk of mail.chunks()) {
    const text = rest + Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength).toString('latin1');
    const end = text.lastIndexOf('\n') + 1;
    rest = text.slice(end);
    yield Buffer.from(
      text
        .slice(0, end)
        .replace(/\r\n/g, '\n')
        .replace(/^(>*From )/gm, '>$1'),
      'latin1',
    );
  }
  yield Buffer.from(`${rest.replace(/^(>*From )/gm, '>$1')}\n\n`, 'latin1');
}

async function write(path: string, flags: 'w' | 'a', chunks: Iterable<Uint8Array>): Promise<void> {
  const stream = createWriteStream(path, { flags, flush: true, mode: 0o600 });
  for (const chunk of chunks) if (!stream.write(chunk)) await once(stream, 'drain');
  stream.end();
  await once(stream, 'close');
}

/** Writes emails to the disk: a file each, named after its delivery, or all to the end of one mbox. */
export function fileProvider(name: string, target: FileTarget): Provider {
  const where = 'folder' in target ? target.folder : target.mbox;
  const folder = 'folder' in target ? target.folder : dirname(target.mbox);
  // Emails to one mbox go one after the other.
  let last: Promise<unknown> = Promise.resolve();
  const store = async ({ envelope, mail, parts }: Job): Promise<string> => {
    await mkdir(folder, { recursive: true });
    if ('folder' in target) {
      const path = join(target.folder, `${parts.deliveryId}.eml`);
      await write(`${path}.part`, 'w', mail.chunks());
      await rename(`${path}.part`, path);
      return path;
    }
    const from = envelope.from === '' ? 'MAILER-DAEMON' : envelope.from.replace(/\s/g, '-');
    const head = Buffer.from(
      `From ${from} ${new Date().toUTCString().replace(/^(\w+), (\d+) (\w+) (\d+) ([\d:]+) GMT$/, '$1 $3 $2 $5 $4')}\n`,
    );
    await write(target.mbox, 'a', [head, ...quotedLines(mail)]);
    return target.mbox;
  };
  return {
    name,
    kind: 'file',
    where,
    async hand(job, gate) {
      // A file of its own is the same file when it is written again; what is appended is not.
      if ('mbox' in target && !(await gate.mayLeave())) return NOT_SENT;
      const turn = last.then(() => store(job));
      last = turn.catch(() => undefined);
      try {
        return { kind: 'accepted', phase: 'content', reply: undefined, reason: `Written to ${await turn}.` };
      } catch (error) {
        const reason = `The mail could not be written: ${error instanceof Error ? error.message : String(error)}`;
        return { kind: 'trouble', phase: 'content', reply: undefined, reason };
      }
    },
    async examine() {
      const from = performance.now();
      const done = ({ ok, detail, hint }: { readonly ok: boolean; readonly detail: string; readonly hint?: string | undefined }) => [
        { step: 'write', ok, milliseconds: Math.round(performance.now() - from), detail, hint },
      ];
      try {
        await mkdir(folder, { recursive: true });
        await access(folder, constants.W_OK);
        if ('mbox' in target) await (await open(target.mbox, 'a')).close();
        return done({ ok: true, detail: `${where} can be written to.` });
      } catch (error) {
        return done({
          ok: false,
          detail: error instanceof Error ? error.message : String(error),
          hint: 'Give the user of the service the right to write there.',
        });
      }
    },
    close: () => undefined,
  };
}
