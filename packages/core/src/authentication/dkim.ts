import { createHash, verify } from 'node:crypto';
import { canonicalField } from '../dkim/index.js';
import { readDkimKey, type DkimKey } from './dkim-key.js';
import { isDomainName, type DnsAsk } from './dns.js';
import { bare, readTags } from './tags.js';

/** The result for one signature (RFC 8601 2.7.1). */
export interface DkimVerdict {
  readonly result: 'pass' | 'fail' | 'permerror' | 'temperror';
  /** Why, in a sentence. */
  readonly reason: string;
  /** The domain that answers for the mail, as the signature says; undefined where it names none. */
  readonly domain: string | undefined;
  readonly selector: string | undefined;
  readonly algorithm: string | undefined;
  /** Names of the header fields that are signed, small, as often as they are named. */
  readonly fields: readonly string[];
  /** Octets of the body that are not signed. */
  readonly unsignedOctets: number;
  /** The key says that its domain only tries DKIM. */
  readonly isTesting: boolean;
}

export interface DkimInput {
  /** The whole mail with CRLF at the ends of its lines. */
  readonly mail: Uint8Array;
  readonly ask: DnsAsk;
  /** Seconds since the epoch, for x=. */
  readonly seconds: number;
}

/** A mail with more signatures has these looked at only, the uppermost first. */
const MOST_SIGNATURES = 10;

interface Field {
  readonly name: string;
  /** As it stands, without the CRLF at its end. */
  readonly raw: string;
  readonly value: string;
}

interface Email {
  readonly fields: readonly Field[];
  readonly body: string;
}

type Canonical = 'simple' | 'relaxed';

/** A signature that is well formed. */
interface Signature {
  readonly algorithm: 'rsa-sha256' | 'ed25519-sha256';
  readonly domain: string;
  readonly selector: string;
  readonly identity: string;
  readonly header: Canonical;
  readonly body: Canonical;
  readonly names: readonly string[];
  readonly bodyHash: string;
  readonly bytes: Buffer;
  readonly length: number | undefined;
}

/** Verifies every signature of a mail, as a receiver does (RFC 6376 6; RFC 8301; RFC 8463). All that is asked of the world goes through `ask`. */
export async function verifyDkim({ mail, ask, seconds }: DkimInput): Promise<DkimVerdict[]> {
  const email = emailOf(mail);
  const signatures = email.fields.filter(({ name }) => name.toLowerCase() === 'dkim-signature').slice(0, MOST_SIGNATURES);
  return Promise.all(signatures.map((field) => verifyOne(field, email, { ask, seconds })));
}

async function verifyOne(
  field: Field,
  email: Email,
  { ask, seconds }: { readonly ask: DnsAsk; readonly seconds: number },
): Promise<DkimVerdict> {
  const tags = readTags(field.value);
  const named = {
    domain: tags?.get('d'),
    selector: tags?.get('s'),
    algorithm: tags?.get('a'),
    fields: bare(tags?.get('h') ?? '')
      .toLowerCase()
      .split(':')
      .filter((name) => name !== ''),
    unsignedOctets: 0,
    isTesting: false,
  };
  const not = (result: DkimVerdict['result'], reason: string, more: Partial<DkimVerdict> = {}): DkimVerdict => ({
    ...named,
    ...more,
    result,
    reason,
  });
  const signature = tags === undefined ? 'is not a list of tags, or has one twice' : readSignature(tags, seconds);
  if (typeof signature === 'string') return not('permerror', `The signature ${signature}.`);
  const at = `${signature.selector}._domainkey.${signature.domain}`;
  const answer = await ask(at, 'TXT');
  if (answer.status === 'failed') return not('temperror', `The name servers of ${at} did not answer.`);
  if (answer.status === 'none') return not('permerror', `There is no key at ${at}.`);
  const [record = '', more] = answer.records;
  if (more !== undefined) return not('permerror', `There are ${answer.records.length} TXT records at ${at}, where there may be one.`);
  const key = readDkimKey(record);
  if ('fault' in key) return not('permerror', `Its key at ${at} ${key.fault}.`);
  const { isTesting } = key;
  const unfit = misfit(signature, key);
  if (unfit !== undefined) return not('permerror', `Its key at ${at} ${unfit}.`, { isTesting });
  const body = canonicalBody(email.body, signature.body);
  if ((signature.length ?? 0) > body.length)
    return not('permerror', `The signature is over ${signature.length ?? 0} octets, and the body has ${body.length}.`, { isTesting });
  const unsignedOctets = signature.length === undefined ? 0 : body.length - signature.length;
  const facts = { isTesting, unsignedOctets };
  const hash = createHash('sha256').update(body.slice(0, signature.length), 'latin1').digest('base64');
  if (hash !== signature.bodyHash) return not('fail', 'The body was changed after it was signed.', facts);
  const input = Buffer.from(signedHeader(email, field, signature), 'latin1');
  const isRight =
    key.kind === 'rsa'
      ? verify('sha256', input, key.key, signature.bytes)
      : verify(null, createHash('sha256').update(input).digest(), key.key, signature.bytes);
  if (!isRight) return not('fail', 'A signed header field was changed, or the key is another.', facts);
  return { ...named, ...facts, result: 'pass', reason: `${signature.domain} signed it, with the key ${signature.selector}.` };
}

/** Reads the tags of a signature (RFC 6376 3.5, 6.1.1). @returns what is wrong, in words that follow "The signature" */
function readSignature(tags: ReadonlyMap<string, string>, seconds: number): Signature | string {
  const missing = ['v', 'a', 'b', 'bh', 'd', 'h', 's'].find((name) => !tags.has(name));
  if (missing !== undefined) return `has no ${missing}=`;
  const tag = (name: string): string => tags.get(name) ?? '';
  if (tag('v') !== '1') return `is of version "${tag('v').slice(0, 20)}", which nobody knows`;
  const algorithm = tag('a').toLowerCase();
  if (algorithm === 'rsa-sha1') return 'uses rsa-sha1, which counts for nothing (RFC 8301)';
  if (algorithm !== 'rsa-sha256' && algorithm !== 'ed25519-sha256') return `uses "${algorithm.slice(0, 30)}", which nobody knows`;
  const [header = '', body = 'simple', more] = (tags.get('c') ?? 'simple').toLowerCase().split('/');
  if (!isCanonical(header) || !isCanonical(body) || more !== undefined) return `has an unknown c=`;
  const names = bare(tag('h')).toLowerCase().split(':');
  if (!names.includes('from')) return 'does not sign the From field';
  const [domain, selector] = [tag('d').toLowerCase(), tag('s').toLowerCase()];
  if (!isDomainName(domain) || !isDomainName(`${selector}._domainkey.${domain}`)) return 'names a domain or selector that is not valid';
  const identity = (tags.get('i') ?? `@${domain}`).toLowerCase();
  const under = identity.slice(identity.lastIndexOf('@') + 1);
  if (under !== domain && !under.endsWith(`.${domain}`)) return `is for ${under}, which is not under ${domain}`;
  if (tags.has('q') && !bare(tag('q')).split(':').includes('dns/txt')) return 'names an unknown place for its key';
  const times = timesOf(tags);
  if (times === undefined) return 'has a t=, x= or l= that is not a number';
  if (times.expires !== undefined && times.signed !== undefined && times.expires <= times.signed) return 'ends before it begins';
  if (times.expires !== undefined && times.expires < seconds) return 'has expired';
  if (!/^[A-Za-z0-9+/]+={0,2}$/.test(bare(tag('b')))) return 'has a b= that is not base64';
  return {
    algorithm,
    domain,
    selector,
    identity,
    header,
    body,
    names,
    bodyHash: bare(tag('bh')),
    bytes: Buffer.from(bare(tag('b')), 'base64'),
    length: times.length,
  };
}

const isCanonical = (text: string): text is Canonical => text === 'simple' || text === 'relaxed';

function timesOf(
  tags: ReadonlyMap<string, string>,
): { readonly signed: number | undefined; readonly expires: number | undefined; readonly length: number | undefined } | undefined {
  const read = (name: string): number | undefined => (tags.has(name) ? Number(tags.get(name)) : undefined);
  const isNumber = ['t', 'x', 'l'].every((name) => !tags.has(name) || /^\d{1,15}$/.test(tags.get(name) ?? ''));
  return isNumber ? { signed: read('t'), expires: read('x'), length: read('l') } : undefined;
}

/** Why a key cannot be the one of a signature, in words that follow "its key". */
function misfit({ algorithm, identity, domain }: Signature, { kind, hashes, isStrict }: DkimKey): string | undefined {
  if (!algorithm.startsWith(kind)) return `is for ${kind}, and the signature uses ${algorithm}`;
  if (hashes !== undefined && !hashes.includes('sha256')) return 'is not for SHA-256';
  if (isStrict && identity.slice(identity.lastIndexOf('@') + 1) !== domain) return 'allows no identity in a subdomain';
  return undefined;
}

/** The header as far as it is signed, in canonical form (RFC 6376 3.7). */
function signedHeader({ fields }: Email, own: Field, { names, header }: Signature): string {
  const canonical = ({ name, raw, value }: Field): string => (header === 'simple' ? raw : canonicalField(name, value));
  // Of several fields of a name the lowest comes first (5.4.2); the signature itself does not count.
  const left = new Map<string, Field[]>();
  for (const field of fields) {
    if (field === own) continue;
    const name = field.name.trim().toLowerCase();
    left.set(name, [...(left.get(name) ?? []), field]);
  }
  let out = '';
  for (const name of names) {
    const field = left.get(name)?.pop();
    if (field !== undefined) out += `${canonical(field)}\r\n`;
  }
  // Its own value without the signature (3.5, b=).
  const without = (text: string): string => text.replace(/((?:^|;)[ \t\r\n]*b[ \t\r\n]*=)[^;]*/, '$1');
  const value = without(own.value);
  return out + canonical({ name: own.name, value, raw: `${own.name}:${value}` });
}

/** A body in canonical form (RFC 6376 3.4.3, 3.4.4), as octets. */
function canonicalBody(body: string, mode: Canonical): string {
  const lines = mode === 'relaxed' ? body.replace(/[ \t]+/g, ' ').replace(/ (?=\r\n|$)/g, '') : body;
  let end = lines.length;
  while (lines.startsWith('\r\n', end - 2) && end >= 2) end -= 2;
  const text = lines.slice(0, end);
  return text === '' ? (mode === 'simple' ? '\r\n' : '') : `${text}\r\n`;
}

/** A mail as fields and a body; each octet is one character. */
function emailOf(mail: Uint8Array): Email {
  const bytes = Buffer.from(mail.buffer, mail.byteOffset, mail.byteLength);
  const isBare = bytes.subarray(0, 2).equals(Buffer.from('\r\n'));
  const end = isBare ? 0 : bytes.indexOf('\r\n\r\n');
  const head = bytes.toString('latin1', 0, end === -1 ? bytes.length : end).replace(/\r\n$/, '');
  const fields = head.split(/\r\n(?![ \t])/).flatMap((raw): Field[] => {
    const colon = raw.indexOf(':');
    return colon <= 0 ? [] : [{ name: raw.slice(0, colon), raw, value: raw.slice(colon + 1) }];
  });
  return { fields, body: end === -1 ? '' : bytes.toString('latin1', isBare ? 2 : end + 4) };
}
