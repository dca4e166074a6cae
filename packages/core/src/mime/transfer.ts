/** Longest encoded line (RFC 2045 6.7 and 6.8). */
const LINE = 76;

/** Line ends as CRLF, whatever they were. */
export function crlf(text: string): string {
  return text.replace(/\r\n|\r|\n/g, '\r\n');
}

const HEX = Array.from({ length: 256 }, (_, byte) => `=${byte.toString(16).toUpperCase().padStart(2, '0')}`);

/** Quoted-printable of a text in UTF-8 (RFC 2045 6.7); line ends become CRLF. */
export function quotedPrintable(text: string): string {
  const bytes = Buffer.from(crlf(text), 'utf8');
  const out: string[] = [];
  let line = '';
  const add = (piece: string): void => {
    if (line.length + piece.length > LINE - 1) {
      out.push(`${line}=`);
      line = '';
    }
    line += piece;
  };
  for (let i = 0; i < bytes.length; i += 1) {
    const byte = bytes[i] ?? 0;
    if (byte === 13 && bytes[i + 1] === 10) {
      out.push(line);
      line = '';
      i += 1;
    } else if ((byte === 32 || byte === 9) && (i + 1 === bytes.length || bytes[i + 1] === 13)) {
      add(HEX[byte] ?? '');
    } else if (byte === 9 || (byte >= 32 && byte < 127 && byte !== 61)) {
      // "From " and a lone dot at the start of a line are changed by some relays on the way.
      const fragile = line === '' && (byte === 46 || (byte === 70 && bytes.toString('latin1', i, i + 5) === 'From '));
      add(fragile ? (HEX[byte] ?? '') : String.fromCharCode(byte));
    } else {
      add(HEX[byte] ?? '');
    }
  }
  out.push(line);
  return out.join('\r\n');
}

export function base64Lines(bytes: Uint8Array): string {
  return (
    Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
      .toString('base64')
      .match(/.{1,76}/g) ?? []
  ).join('\r\n');
}

export type TransferEncoding = '7bit' | 'quoted-printable' | 'base64';

/** The smallest encoding that is right for a text in UTF-8. */
export function bestEncoding(text: string): TransferEncoding {
  const lines = text.split(/\r\n|\r|\n/);
  if (/^[\t\r\n\x20-\x7E]*$/.test(text) && lines.every((line) => line.length <= 998 && !/^(?:From |\.$)/.test(line))) return '7bit';
  const bytes = Buffer.byteLength(text);

  const plain = (text.match(/[\t\r\n\x20-\x3C\x3E-\x7E]/g) ?? []).length;
  return plain + (bytes - plain) * 3 <= (bytes * 4) / 3 ? 'quoted-printable' : 'base64';
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
