import { createHash } from 'node:crypto';

/** One part of a form: a text, or a file. */
export type FormPart =
  | { readonly name: string; readonly value: string }
  | { readonly name: string; readonly file: { readonly name: string; readonly type: string; readonly bytes: Uint8Array } };

export interface WrittenForm {
  /** For Content-Type. */
  readonly type: string;
  readonly body: Buffer;
}

/** In a quoted name nothing may end it (RFC 7578 4.2, with the escapes that browsers use). */
function quoted(name: string): string {
  return `"${name.replace(/\r\n|\r|\n/g, '%0D%0A').replace(/"/g, '%22')}"`;
}

/** A boundary that is in none of the parts, and is the same for the same parts and seed. */
function boundaryOf(seed: string, contents: readonly Buffer[]): string {
  for (let n = 0; ; n += 1) {
    const boundary = `verbalis-${createHash('sha256').update(`${seed}/${n}`).digest('hex').slice(0, 32)}`;
    if (!contents.some((content) => content.includes(boundary))) return boundary;
  }
}

/** Writes multipart/form-data (RFC 7578). The same parts and seed give the same bytes, so that a request can be repeated. */
export function writeForm(parts: readonly FormPart[], seed: string): WrittenForm {
  const contents = parts.map((part) => Buffer.from('file' in part ? part.file.bytes : part.value));
  const boundary = boundaryOf(seed, contents);
  const pieces = parts.flatMap((part, i) => {
    const file = 'file' in part ? `; filename=${quoted(part.file.name)}\r\nContent-Type: ${part.file.type.replace(/[\r\n]/g, '')}` : '';
    const head = `--${boundary}\r\nContent-Disposition: form-data; name=${quoted(part.name)}${file}\r\n\r\n`;
    return [Buffer.from(head), contents[i] as Buffer, Buffer.from('\r\n')];
  });
  return { type: `multipart/form-data; boundary=${boundary}`, body: Buffer.concat([...pieces, Buffer.from(`--${boundary}--\r\n`)]) };
}
