import { createHash } from 'node:crypto';

/** Fields that say which report it is. Others tell how it travelled: each way adds its own. */
const FIELDS = new Set(['from', 'to', 'subject', 'date', 'message-id', 'content-type', 'in-reply-to']);
const HEADER_BYTES = 256 * 1024;

/** The header of an email and what is below it, as text of bytes. */
function divide(bytes: Uint8Array): readonly [header: string, body: string] {
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1').replace(/\r\n?/g, '\n');
  const end = text.slice(0, HEADER_BYTES).indexOf('\n\n');
  return end === -1 ? [text.slice(0, HEADER_BYTES), text.slice(HEADER_BYTES)] : [text.slice(0, end), text.slice(end + 2)];
}

/** A field without the ways in which it may be folded. */
function fieldText(field: string): string {
  return field.replace(/\s+/g, ' ').trim();
}

/**
 * What a report says, whichever way it came: the same one by SMTP, from a file with other line ends, or through another server, which writes a
 * Received field of its own, has the same fingerprint. @returns SHA-256 in hex
 */
export function fingerprintOf(bytes: Uint8Array): string {
  const [header, body] = divide(bytes);
  const hash = createHash('sha256');
  const fields = header.replace(/^(?:>?From [^\n]*\n)/, '').split(/\n(?![ \t])/);
  for (const field of fields
    .filter((text) =>
      FIELDS.has(
        text
          .slice(0, Math.max(0, text.indexOf(':')))
          .trim()
          .toLowerCase(),
      ),
    )
    .map((text) => `${text.slice(0, text.indexOf(':')).trim().toLowerCase()}:${fieldText(text.slice(text.indexOf(':') + 1))}`)
    .sort())
    hash.update(`${field}\n`);
  hash.update('\n');
  // Servers and files add and take line ends at the end, and ">" before "From " at the beginning of a line.
  hash.update(
    body
      .split('\n')
      .map((line) => line.trimEnd().replace(/^>(>*From )/, '$1'))
      .join('\n')
      .trimEnd(),
  );
  return hash.digest('hex');
}
