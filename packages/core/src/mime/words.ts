/** Longest encoded word, delimiters included (RFC 2047 2). */
const MAX_WORD = 75;

const Q_PLAIN = /[A-Za-z0-9!*+/-]/;

function q(char: string): string {
  // ASCII that stands for itself, by far the most.
  if (char < '\u007F' && Q_PLAIN.test(char)) return char;
  if (char === ' ') return '_';
  let out = '';
  for (const byte of Buffer.from(char, 'utf8')) out += `=${byte < 16 ? '0' : ''}${byte.toString(16).toUpperCase()}`;
  return out;
}

/**
 * A text as RFC 2047 encoded words in UTF-8, each at most 75 characters, no character cut apart.
 * The shorter of Q and B encoding is used. Words are to be joined by a space (or a fold), which readers drop.
 * @param first room for the first word, which stands behind its field's name
 */
export function encodeWords(text: string, first = MAX_WORD): string[] {
  const chars = [...text.toWellFormed()];
  const coded = chars.map(q);
  const sizes = chars.map((char) => (char.length === 1 && char < '\u0080' ? 1 : Buffer.byteLength(char)));
  const bytes = sizes.reduce((sum, size) => sum + size, 0);
  const useQ = coded.reduce((sum, word) => sum + word.length, 0) <= Math.ceil(bytes / 3) * 4;
  const roomOf = (word: number): number => (word === 0 ? Math.min(first, MAX_WORD) : MAX_WORD) - '=?UTF-8?Q??='.length;
  const out: string[] = [];
  let piece = '';
  let size = 0;
  const close = (): void => {
    if (piece === '') return;
    out.push(useQ ? `=?UTF-8?Q?${piece}?=` : `=?UTF-8?B?${Buffer.from(piece, 'utf8').toString('base64')}?=`);
    piece = '';
    size = 0;
  };
  chars.forEach((char, i) => {
    const shown = useQ ? (coded[i] ?? '') : char;
    const cost = useQ ? shown.length : (sizes[i] ?? 0);
    const full = useQ ? size + cost > roomOf(out.length) : Math.ceil((size + cost) / 3) * 4 > roomOf(out.length);
    if (full) close();
    piece += shown;
    size += cost;
  });
  close();
  return out;
}

const WORD = /=\?([^?\s]+)\?([QqBb])\?([^?]*)\?=/g;

/** Bytes in a charset that a reader may meet; unknown ones are read as windows-1252, which never fails. */
export function decodeCharset(bytes: Uint8Array, charset: string): string {
  const label = (charset.split('*')[0] ?? '').trim().toLowerCase() || 'utf-8';
  try {
    return new TextDecoder(label === 'us-ascii' || label === 'ascii' ? 'utf-8' : label).decode(bytes);
  } catch {
    return new TextDecoder('windows-1252').decode(bytes);
  }
}

function wordBytes(encoding: string, text: string): Uint8Array {
  if (/[Bb]/.test(encoding)) return Buffer.from(text, 'base64');
  return Buffer.from(
    text.replace(/_/g, ' ').replace(/=([0-9A-Fa-f]{2})/g, (_all, hex: string) => String.fromCharCode(Number.parseInt(hex, 16))),
    'latin1',
  );
}

/** Reads RFC 2047 encoded words in a header field's value; what is not one stays as it is. */
export function decodeWords(text: string): string {
  if (!text.includes('=?')) return text;
  // White space between two encoded words is no part of the text (6.2). Words of one charset are joined before they are decoded,
  // since many writers cut characters apart.
  const joined = text.replace(/(\?=)[ \t\r\n]+(?==\?)/g, '$1');
  let out = '';
  let last = 0;
  let pending: { charset: string; bytes: Uint8Array[] } | undefined;
  const flush = (): void => {
    if (pending !== undefined) out += decodeCharset(Buffer.concat(pending.bytes), pending.charset);
    pending = undefined;
  };
  for (const found of joined.matchAll(WORD)) {
    const [all, charset = '', encoding = '', body = ''] = found;
    if (found.index > last || (pending !== undefined && pending.charset !== charset.toLowerCase())) flush();
    out += joined.slice(last, found.index);
    last = found.index + all.length;
    pending ??= { charset: charset.toLowerCase(), bytes: [] };
    pending.bytes.push(wordBytes(encoding, body));
  }
  flush();
  return out + joined.slice(last);
}
