import { LRUCache } from 'lru-cache';
import { createHash, sign, type KeyObject } from 'node:crypto';
import type { Bytes } from '../mime/index.js';
import { canonicalBodyHash, canonicalField } from './canonical.js';
import type { KeyAlgorithm } from './keys.js';

export interface SigningKey {
  /** The domain that answers for the mail (d=). */
  readonly domain: string;
  /** Where in that domain the public key stands (s=). */
  readonly selector: string;
  readonly algorithm: KeyAlgorithm;
  readonly key: KeyObject;
}

/**
 * Fields that may stand once only (RFC 5322 3.6, RFC 8058 2) and say what an email is. They are signed where they stand, and named once more, so
 * that none can be added on the way (RFC 6376 8.15).
 */
const SINGLE = [
  'from',
  'sender',
  'reply-to',
  'to',
  'cc',
  'subject',
  'date',
  'message-id',
  'in-reply-to',
  'references',
  'mime-version',
  'content-type',
  'content-transfer-encoding',
  'auto-submitted',
  'list-id',
  'list-unsubscribe',
  'list-unsubscribe-post',
  'feedback-id',
  'bimi-selector',
];
/** Other fields that mean something to a reader or a receiving server; all that begin with "list-" do. */
const SIGNED = new Set([
  ...SINGLE,
  'comments',
  'keywords',
  'organization',
  'importance',
  'priority',
  'x-priority',
  'precedence',
  'content-language',
  'content-disposition',
  'content-id',
  'content-description',
  'disposition-notification-to',
  'require-recipient-valid-since',
  'tls-required',
  'autocrypt',
  'openpgp',
  'expires',
  'archived-at',
]);
const isSigned = (name: string): boolean => SIGNED.has(name) || name.startsWith('list-');

interface Field {
  readonly name: string;
  readonly value: string;
}

/** The header of a mail as fields, still folded, and where the body begins. */
function headerOf(mail: Bytes): { fields: Field[]; bodyFrom: number } {
  let text = '';
  let end = -1;
  for (const chunk of mail.chunks()) {
    const bytes = Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength);
    // An email in one piece is not read beyond its header.
    const stop = bytes.indexOf('\r\n\r\n');
    text += bytes.toString('latin1', 0, stop === -1 ? bytes.length : stop + 4);
    end = text.indexOf('\r\n\r\n');
    if (end !== -1) break;
  }
  const head = end === -1 ? text : text.slice(0, end);
  const fields = head.split(/\r\n(?![ \t])/).flatMap((line): Field[] => {
    const colon = line.indexOf(':');
    return colon <= 0 ? [] : [{ name: line.slice(0, colon), value: line.slice(colon + 1) }];
  });
  return { fields, bodyFrom: end === -1 ? text.length : end + 4 };
}

function* from(mail: Bytes, offset: number): Generator<Uint8Array> {
  let skip = offset;
  for (const chunk of mail.chunks()) {
    if (skip >= chunk.length) skip -= chunk.length;
    else {
      yield skip === 0 ? chunk : chunk.subarray(skip);
      skip = 0;
    }
  }
}

function folded(tag: string, value: string): string {
  return `${tag}=${value.replace(/.{66}(?=.)/g, '$&\r\n ')}`;
}

/** Emails have the same few sets of fields: the list of their names is folded once. */
const lists = new LRUCache<string, string>({ max: 200 });
function foldedNames(names: string): string {
  let list = lists.get(names);
  if (list === undefined) {
    lists.set(names, (list = names.replace(/(.{50,66}:)(?=.)/g, '$1\r\n ')));
  }
  return list;
}

/** Signs off the main thread, so that other emails are made meanwhile. */
const signOff = (input: Buffer, key: KeyObject): Promise<Buffer> =>
  new Promise((resolve, reject) => {
    sign('sha256', input, key, (error, signature) => {
      if (error === null) resolve(signature);
      else reject(error);
    });
  });

/**
 * DKIM-Signature fields for an email, one a key, to be put before it (RFC 6376 5; relaxed/relaxed).
 * The same mail, keys and time give the same bytes: both algorithms are deterministic.
 * @param at milliseconds since the epoch, for t=
 */
export async function signMail(mail: Bytes, keys: readonly SigningKey[], at: number): Promise<string> {
  if (keys.length === 0) return '';
  const { fields, bodyFrom } = headerOf(mail);
  const bodyHash = canonicalBodyHash(from(mail, bodyFrom));
  const present = fields.filter((field) => isSigned(field.name.toLowerCase()));
  // From the last of a name to the first, as verifiers take them (5.4.2).
  const chosen = [...present].reverse();
  const names = foldedNames([...chosen.map((field) => field.name.toLowerCase()), ...SINGLE].join(':'));
  const signedFields = chosen.map((field) => `${canonicalField(field.name, field.value)}\r\n`).join('');
  const made = await Promise.all(
    keys.map(async ({ domain, selector, algorithm, key }) => {
      const lines = [
        ` v=1; a=${algorithm}; c=relaxed/relaxed; d=${domain}; s=${selector};`,
        ` t=${Math.floor(at / 1000)};`,
        ` h=${names};`,
        ` bh=${bodyHash};`,
      ];
      const unsigned = `${lines.join('\r\n')}\r\n b=`;
      const input = Buffer.from(signedFields + canonicalField('DKIM-Signature', unsigned), 'latin1');
      // Ed25519 signs the SHA-256 of the input (RFC 8463 3); so fast that a thread of its own would cost more.
      const signature =
        algorithm === 'rsa-sha256' ? await signOff(input, key) : sign(null, createHash('sha256').update(input).digest(), key);
      return `DKIM-Signature:${unsigned.slice(0, -'b='.length)}${folded('b', signature.toString('base64'))}\r\n`;
    }),
  );
  return made.join('');
}
