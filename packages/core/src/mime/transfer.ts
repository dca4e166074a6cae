/** Longest encoded line (RFC 2045 6.7 and 6.8). */
const LINE = 76;

/** Line ends as CRLF, whatever they were. */
export function crlf(text: string): string {
  return text.replace(/\r\n|\r|\n/g, '\r\n');
}

const HEX = Array.from({ length: 256 }, (_, byte) => `=${byte.toString(16).toUpperCase().padStart(2, '0')}`);

// What a line may hold as it is; "=" is always encoded.
const SAFE = /^[\t\x20-\x3C\x3E-\x7E]*$/;
const UNSAFE = /[^\t\x20-\x3C\x3E-\x7E]/g;

/** Where a line may be cut before `end`: not within "=XX". */
function cutBefore(text: string, end: number): number {
  if (text[end - 1] === '=') return end - 1;
  return text[end - 2] === '=' ? end - 2 : end;
}

/** "From " and a lone dot at the start of a line are changed by some relays on the way. */
function guarded(line: string): string {
  if (line.startsWith('.')) return `=2E${line.slice(1)}`;
  return line.startsWith('From ') ? `=46${line.slice(1)}` : line;
}

/** Quoted-printable of a text in UTF-8 (RFC 2045 6.7); line ends become CRLF. */
export function quotedPrintable(text: string): string {
  const out: string[] = [];
  for (const source of text.split(/\r\n|\r|\n/)) {
    const bytes = SAFE.test(source) ? source : Buffer.from(source, 'utf8').toString('latin1');
    let line = bytes === source && SAFE.test(source) ? source : bytes.replace(UNSAFE, (char) => HEX[char.charCodeAt(0)] ?? '');
    // White space at the end of a line gets lost on the way.
    const last = line.at(-1);
    if (last === ' ' || last === '\t') line = line.slice(0, -1) + (HEX[last.charCodeAt(0)] ?? '');
    line = guarded(line);
    while (line.length >= LINE) {
      const end = cutBefore(line, LINE - 1);
      out.push(`${line.slice(0, end)}=`);
      line = guarded(line.slice(end));
    }
    out.push(line);
  }
  return out.join('\r\n');
}

export function base64Lines(bytes: Uint8Array): string {
  return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    .toString('base64')
    .replace(/.{76}(?=.)/g, '$&\r\n');
}

export type TransferEncoding = '7bit' | 'quoted-printable' | 'base64';

/** The smallest encoding that is right for a text in UTF-8. */
export function bestEncoding(text: string): TransferEncoding {
  if (/^[\t\r\n\x20-\x7E]*$/.test(text) && !/[^\r\n]{999}|^(?:From |\.$)/m.test(text)) return '7bit';
  const bytes = Buffer.from(text, 'utf8');
  let coded = 0;
  for (const byte of bytes) if (byte > 126 || byte === 61 || (byte < 32 && byte !== 9 && byte !== 10 && byte !== 13)) coded += 1;
  return bytes.length + coded * 2 <= (bytes.length * 4) / 3 ? 'quoted-printable' : 'base64';
}

export function encodeText(text: string, encoding: TransferEncoding): string {
  if (encoding === '7bit') return crlf(text);
  return encoding === 'base64' ? base64Lines(Buffer.from(crlf(text), 'utf8')) : quotedPrintable(text);
}

/** Reads a body by its Content-Transfer-Encoding; broken ones as far as they make sense. */
export function decodeTransfer(body: Uint8Array, encoding: string): Uint8Array {
  const name = encoding.trim().toLowerCase();
  if (name === 'base64')
    return Buffer.from(
      Buffer.from(body)
        .toString('latin1')
        .replace(/[^A-Za-z0-9+/=]/g, ''),
      'base64',
    );
  if (name !== 'quoted-printable') return body;
  const text = Buffer.from(body)
    .toString('latin1')
    .replace(/[ \t]+(?=\r?\n|$)/g, '')
    .replace(/=\r?\n/g, '');
  return Buffer.from(
    text.replace(/=([0-9A-Fa-f]{2})/g, (_all, hex: string) => String.fromCharCode(Number.parseInt(hex, 16))),
    'latin1',
  );
}
