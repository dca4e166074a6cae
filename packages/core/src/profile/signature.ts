import {
  constants,
  createHash,
  createHmac,
  createPublicKey,
  timingSafeEqual,
  verify,
  X509Certificate,
  type JsonWebKey,
  type KeyObject,
} from 'node:crypto';
import { contextOf, sourceAt, type Call } from './call.js';
import { checkComposition, compose, readComposition, readSteps, type KnownPieces, type PieceOf } from './composition.js';
import type { ProfileFaults } from './faults.js';
import type { CallbackSignature } from './schema-callbacks.js';
import { asText, type CompiledSource, type SourceKind } from './sources.js';

export type SignatureVerdict = { readonly ok: true } | { readonly ok: false; readonly why: string };

/** Keys that have to be fetched before a call can be verified. */
export interface KeyFetch {
  readonly url: string;
  /** Hosts that keys may come from. */
  readonly hosts: readonly string[];
  readonly hours: number;
}

/** What a call is verified with. */
export interface VerifyInput {
  readonly call: Call;
  /** What stands outside in its content. */
  readonly outside: unknown;
  /** In milliseconds since the epoch. */
  readonly now: number;
  /** Fetched keys, as text. */
  readonly keys?: string | undefined;
}

export interface ReadSignature {
  /** Never throws. */
  readonly verify: (input: VerifyInput) => SignatureVerdict;
  /** Where the keys are that this call needs; a sentence where they may not be fetched from there; undefined where none need to be. */
  readonly keysFrom: (input: Omit<VerifyInput, 'keys' | 'now'>) => KeyFetch | string | undefined;
}

const KINDS: readonly SourceKind[] = ['here', 'header', 'query'];
/** Begins the DER form of a bare Ed25519 key (RFC 8410 4). */
const ED25519_DER = Buffer.from('302a300506032b6570032100', 'hex');
const PIECES = ['body', 'timestamp', 'method', 'url', 'sortedFields'];

function same(a: Uint8Array, b: Uint8Array): boolean {
  // Of equal length whatever is compared.
  const hash = (bytes: Uint8Array): Buffer => createHash('sha256').update(bytes).digest();
  return timingSafeEqual(hash(a), hash(b));
}

/** A public key in PEM, a certificate in PEM, or DER in base64 (bare for Ed25519). @throws for anything else */
function publicKeyOf(text: string): KeyObject {
  if (text.includes('BEGIN CERTIFICATE')) return new X509Certificate(text).publicKey;
  if (text.includes('BEGIN')) return createPublicKey(text);
  const raw = Buffer.from(text, 'base64');
  return createPublicKey({ key: raw.length === 32 ? Buffer.concat([ED25519_DER, raw]) : raw, format: 'der', type: 'spki' });
}

/** Keys of a text that was fetched: a JSON Web Key Set (RFC 7517 5), or one key. */
function fetchedKeys(text: string, keyId: string | undefined): KeyObject[] {
  try {
    const { keys } = JSON.parse(text) as { readonly keys?: unknown };
    if (Array.isArray(keys)) {
      const named = (keys as readonly (JsonWebKey & { readonly kid?: string })[]).filter(({ kid }) => keyId === undefined || kid === keyId);
      return named.map((key) => createPublicKey({ key, format: 'jwk' }));
    }
  } catch {
    // Not a set.
  }
  try {
    return [publicKeyOf(text)];
  } catch {
    return [];
  }
}

/** Milliseconds since the epoch of a time as providers write it: seconds, milliseconds, ISO 8601 or RFC 5322; NaN for anything else. */
export function timeOf(text: string): number {
  const number = Number(text);
  if (text.trim() !== '' && Number.isFinite(number)) return number < 1e11 ? number * 1000 : number;
  return Date.parse(text);
}

/** Whether a host is one of those that a profile names: "keys.example", or "*.keys.example" for those below it. */
export function isHostOf(url: string, hosts: readonly string[]): boolean {
  if (!URL.canParse(url)) return false;
  const { protocol, hostname, host } = new URL(url);
  if (protocol !== 'https:' && !/^(?:localhost|127\.0\.0\.1|\[::1\])$/.test(hostname)) return false;
  return hosts.some((wanted) => (wanted.startsWith('*.') ? hostname.endsWith(wanted.slice(1)) : hostname === wanted || host === wanted));
}

type Keyed = Exclude<CallbackSignature, { readonly kind: 'secret' | 'basic' }>;

/** What a call says of its signature. */
interface Given {
  readonly candidates: readonly string[];
  readonly timestamp: string | undefined;
  readonly keyId: string | undefined;
}

interface Sources {
  readonly signature: CompiledSource | undefined;
  readonly timestamp: CompiledSource | undefined;
  readonly keyId: CompiledSource | undefined;
}

function givenBy(signature: Keyed, sources: Sources, input: Omit<VerifyInput, 'now'>): Given | undefined {
  const context = contextOf(input.call, input.outside);
  const whole = asText(sources.signature?.read(context));
  if (whole === undefined) return undefined;
  const timestamp = asText(sources.timestamp?.read(context));
  const keyId = asText(sources.keyId?.read(context));
  const { parts } = signature;
  if (parts === undefined) return { candidates: [whole], timestamp, keyId };
  const found = whole
    .split(/[,;]/)
    .map((text) => text.trim())
    .map(
      (text) => [text.slice(0, Math.max(0, text.indexOf('='))).trim(), text.slice(text.indexOf('=') + 1).replace(/^"|"$/g, '')] as const,
    );
  const named = (name: string | undefined): string | undefined => found.find(([key]) => key === name)?.[1];
  return {
    // While keys are changed there may be several.
    candidates: found.filter(([key]) => key === parts.signature).map(([, value]) => value),
    timestamp: named(parts.timestamp) ?? timestamp,
    keyId: named(parts.keyId) ?? keyId,
  };
}

/** Whether one signature is right for what is signed. */
type Check = (signature: Buffer, signed: Buffer, keyId: string | undefined, fetched: string | undefined) => boolean;

function hmacCheck({ secret, secrets = {}, hash }: Extract<Keyed, { readonly kind: 'hmac' }>): Check {
  const all = Object.entries(secrets);
  return (given, signed, keyId) => {
    const named = all.filter(([id]) => keyId === undefined || id === keyId).map(([, value]) => value);
    return [...(secret === undefined ? [] : [secret]), ...named].some((key) => same(given, createHmac(hash, key).update(signed).digest()));
  };
}

type PublicKind = Exclude<Keyed, { readonly kind: 'hmac' }>;

function verifies(signature: PublicKind, key: KeyObject, signed: Buffer, given: Buffer): boolean {
  try {
    switch (signature.kind) {
      case 'ed25519':
        return verify(null, signed, key, given);
      case 'rsa': {
        const padding = signature.padding === 'pss' ? constants.RSA_PKCS1_PSS_PADDING : constants.RSA_PKCS1_PADDING;
        return verify(
          signature.hash,
          signed,
          { key, padding, ...(signature.padding === 'pss' ? { saltLength: constants.RSA_PSS_SALTLEN_AUTO } : {}) },
          given,
        );
      }
      case 'ecdsa':
        return verify(signature.hash, signed, { key, dsaEncoding: signature.form === 'plain' ? 'ieee-p1363' : 'der' }, given);
    }
  } catch {
    // A signature of another form than the key's.
    return false;
  }
}

const KEY_TYPES = { ed25519: 'ed25519', rsa: 'rsa', ecdsa: 'ec' } as const;

function publicCheck(signature: PublicKind, faults: ProfileFaults): Check {
  const { publicKey, publicKeys = {}, publicKeyFrom, publicKeyFile, kind } = signature;
  const path = 'callbacks.signature';
  const own = [
    ...(publicKey === undefined ? [] : [['', publicKey, `${path}.publicKey`] as const]),
    ...Object.entries(publicKeys).map(([id, text]) => [id, text, `${path}.publicKeys.${id}`] as const),
  ].flatMap(([id, text, where]) => {
    try {
      const key = publicKeyOf(text);
      if (key.asymmetricKeyType === KEY_TYPES[kind]) return [{ id, key }];
      faults.add(where, `is a key for ${key.asymmetricKeyType ?? 'something else'}, not for ${kind}.`);
    } catch {
      faults.add(where, 'is not a public key in PEM, a certificate, or base64.');
    }
    return [];
  });
  if (publicKey === undefined && Object.keys(publicKeys).length === 0 && publicKeyFrom === undefined && publicKeyFile === undefined)
    faults.add(path, 'needs a key.', 'Set publicKey, publicKeys, publicKeyFile or publicKeyFrom.');
  return (given, signed, keyId, fetched) => {
    const keys = [
      ...own.filter(({ id }) => id === '' || keyId === undefined || id === keyId).map(({ key }) => key),
      ...(fetched === undefined ? [] : fetchedKeys(fetched, keyId)),
    ];
    return keys.some((key) => verifies(signature, key, signed, given));
  };
}

/** The fields of a form, sorted by name, each name with its value after it. */
function sortedFields(outside: unknown): string {
  if (typeof outside !== 'object' || outside === null || Array.isArray(outside)) return '';
  return Object.entries(outside)
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([name, value]) => `${name}${Array.isArray(value) ? value.map(String).join('') : (asText(value) ?? '')}`)
    .join('');
}

function readKeyed(signature: Keyed, faults: ProfileFaults): ReadSignature {
  const path = 'callbacks.signature';
  const source = (written: string | undefined, what: string): CompiledSource | undefined =>
    sourceAt(written, `${path}.${what}`, { kinds: KINDS, faults });
  const sources: Sources = {
    signature: source(signature.signature, 'signature'),
    timestamp: source(signature.timestamp, 'timestamp'),
    keyId: source(signature.keyId, 'keyId'),
  };
  const values = Object.entries(signature.values).flatMap(([name, written]) => {
    const compiled = source(written, `values.${name}`);
    return compiled === undefined ? [] : [[name, compiled] as const];
  });
  const known: KnownPieces = { names: [...PIECES, ...Object.keys(signature.values)], open: ['header.', 'query.'] };
  const computation = readSteps(signature.steps, known, { path: `${path}.steps`, faults });
  checkComposition(signature.signed, { ...known, names: [...known.names, ...computation.names] }, { path: `${path}.signed`, faults });
  const signed = readComposition(signature.signed);
  const isTimed = signature.signed.includes('timestamp') || sources.timestamp !== undefined || signature.parts?.timestamp !== undefined;
  if (signature.signed.includes('timestamp') && sources.timestamp === undefined && signature.parts?.timestamp === undefined)
    faults.add(`${path}.timestamp`, 'is missing, but {{ timestamp }} is signed.');
  const check = signature.kind === 'hmac' ? hmacCheck(signature) : publicCheck(signature, faults);
  if (signature.kind === 'hmac' && signature.secret === undefined && Object.keys(signature.secrets ?? {}).length === 0)
    faults.add(`${path}.secret`, 'is missing.');
  const encoding = signature.encoding ?? (signature.kind === 'hmac' ? 'hex' : 'base64');
  const from = signature.kind === 'hmac' ? undefined : signature.publicKeyFrom;
  const fromSource = from === undefined || /^https?:/.test(from.address) ? undefined : source(from.address, 'publicKeyFrom.address');

  const verifyCall = (input: VerifyInput): SignatureVerdict => {
    const no = (why: string): SignatureVerdict => ({ ok: false, why });
    const given = givenBy(signature, sources, input);
    if (given === undefined) return no(`There is no signature at ${signature.signature}.`);
    if (isTimed) {
      const at = timeOf(given.timestamp ?? '');
      if (Number.isNaN(at)) return no('It has no time that can be read.');
      if (Math.abs(input.now - at) > signature.toleranceSeconds * 1000) return no('It is too old, or from the future.');
    }
    const { call, outside } = input;
    const context = contextOf(call, outside);
    const own = new Map(values.map(([name, compiled]) => [name, asText(compiled.read(context)) ?? '']));
    const pieceOf: PieceOf = (name) => {
      if (name.startsWith('header.')) return context.header?.(name.slice(7).toLowerCase());
      if (name.startsWith('query.')) return context.query?.(name.slice(6));
      switch (name) {
        case 'body':
          return call.body;
        case 'timestamp':
          return given.timestamp;
        case 'method':
          return call.method;
        case 'url':
          return call.url;
        case 'sortedFields':
          return sortedFields(outside);
        default:
          return own.get(name);
      }
    };
    const content = compose(signed, computation.run(pieceOf));
    const fits = given.candidates.some((candidate) => {
      const text = candidate.startsWith(signature.prefix) ? candidate.slice(signature.prefix.length) : candidate;
      return check(Buffer.from(text, encoding), content, given.keyId, input.keys);
    });
    return fits ? { ok: true } : no('The signature is not right.');
  };

  return {
    verify: verifyCall,
    keysFrom: (input) => {
      if (from === undefined) return undefined;
      const url = fromSource === undefined ? from.address : asText(fromSource.read(contextOf(input.call, input.outside)));
      if (url === undefined) return `There is no address of a key at ${from.address}.`;
      if (!isHostOf(url, from.hosts)) return 'The address of its key is not at a host that the profile allows.';
      return { url, hosts: from.hosts, hours: from.hours };
    },
  };
}

/** Compiles how a call shows that it is the provider's (HMAC: RFC 2104; RSA: RFC 8017; Ed25519: RFC 8032; basic: RFC 7617). */
export function readSignature(signature: CallbackSignature, faults: ProfileFaults): ReadSignature {
  const keysFrom = (): undefined => undefined;
  const verdict = (ok: boolean, why: string): SignatureVerdict => (ok ? { ok } : { ok, why });
  switch (signature.kind) {
    case 'secret': {
      const source = sourceAt(signature.at, 'callbacks.signature.at', { kinds: KINDS, faults });
      const wanted = Buffer.from(signature.value);
      return {
        keysFrom,
        verify: ({ call, outside }) => {
          const given = asText(source?.read(contextOf(call, outside))) ?? '';
          return verdict(same(Buffer.from(given), wanted), 'The secret is not right.');
        },
      };
    }
    case 'basic': {
      const wanted = Buffer.from(`${signature.user}:${signature.password}`);
      return {
        keysFrom,
        verify: ({ call }) => {
          const given = /^Basic\s+(\S+)$/i.exec(contextOf(call, undefined).header?.('authorization') ?? '')?.[1] ?? '';
          return verdict(same(Buffer.from(given, 'base64'), wanted), 'User or password are not right.');
        },
      };
    }
    case 'hmac':
    case 'ed25519':
    case 'rsa':
    case 'ecdsa':
      return readKeyed(signature, faults);
  }
}
