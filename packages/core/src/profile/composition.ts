import { createHash, createHmac, createPrivateKey, sign, constants, type KeyObject } from 'node:crypto';
import * as z from 'zod';
import { didYouMean } from '../problems/index.js';
import type { ProfileFaults } from './faults.js';

/** A text with "{{ name }}" in it; names stand for texts or bytes and are put in as they are. */
export interface Composition {
  readonly parts: readonly (string | { readonly name: string })[];
}

/** What a name of a composition stands for. */
export type Piece = string | Buffer;

/** Gives what a name stands for; undefined is nothing. */
export type PieceOf = (name: string) => Piece | undefined;

export function readComposition(text: string): Composition {
  const parts = text.split(/(\{\{[^{}]*\}\})/).filter((part) => part !== '');
  return { parts: parts.map((part) => (part.startsWith('{{') && part.endsWith('}}') ? { name: part.slice(2, -2).trim() } : part)) };
}

/** Puts a composition together, byte for byte. */
export function compose({ parts }: Composition, pieceOf: PieceOf): Buffer {
  return Buffer.concat(
    parts.map((part) => {
      const piece = typeof part === 'string' ? part : (pieceOf(part.name) ?? '');
      return typeof piece === 'string' ? Buffer.from(piece, 'utf8') : piece;
    }),
  );
}

const HASHES = ['sha256', 'sha384', 'sha512', 'sha1', 'md5'] as const;
export const Hash = z.enum(HASHES);
export type Hash = z.infer<typeof Hash>;

const Encoding = z.enum(['hex', 'base64', 'base64url', 'bytes']);
type Encoding = z.infer<typeof Encoding>;

const StepName = z.string().regex(/^[a-z][A-Za-z0-9]*$/, 'must be a name like "canonical"');
const As = Encoding.default('hex').meta({ description: 'How the bytes are written; `bytes` keeps them for a later step.' });

/** Kinds of signatures that a step can make (RFC 8017 8.1, 8.2; FIPS 186-5; RFC 8032). */
const SIGNERS = ['rsa-sha256', 'rsa-pss-sha256', 'ecdsa-sha256', 'ed25519'] as const;

/** One step of a computation over texts and bytes. */
export const ComputeStep = z.union([
  z.strictObject({ name: StepName, text: z.string() }),
  z.strictObject({ name: StepName, hash: Hash, of: z.string(), as: As }),
  z.strictObject({ name: StepName, hmac: Hash, key: z.string(), of: z.string(), as: As }),
  z.strictObject({ name: StepName, sign: z.enum(SIGNERS), key: z.string(), of: z.string(), as: As }),
  z.strictObject({ name: StepName, encode: z.enum(['hex', 'base64', 'base64url', 'percent']), of: z.string() }),
  z.strictObject({ name: StepName, decode: z.enum(['hex', 'base64', 'base64url']), of: z.string() }),
]);
export type ComputeStep = z.infer<typeof ComputeStep>;

/** Percent-encoding of all but unreserved characters (RFC 3986 2.3). */
export function percentEncoded(text: string): string {
  return encodeURIComponent(text).replace(/[!'()*]/g, (sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`);
}

function written(bytes: Buffer, as: Encoding): Piece {
  return as === 'bytes' ? bytes : bytes.toString(as);
}

function signature(kind: (typeof SIGNERS)[number], key: KeyObject, content: Buffer): Buffer {
  switch (kind) {
    case 'ed25519':
      return sign(null, content, key);
    case 'rsa-pss-sha256':
      return sign('sha256', content, { key, padding: constants.RSA_PKCS1_PSS_PADDING, saltLength: constants.RSA_PSS_SALTLEN_DIGEST });
    case 'rsa-sha256':
    case 'ecdsa-sha256':
      return sign('sha256', content, key);
  }
}

/** The key of a signature, which must be a secret: then it is known at the start whether it can be used. */
function keyOf(step: Extract<ComputeStep, { readonly sign: unknown }>, constant: PieceOf | undefined): KeyObject | string {
  const key = readComposition(step.key);
  const isConstant = key.parts.every((part) => typeof part === 'string' || part.name.startsWith('secrets.'));
  if (!isConstant || constant === undefined) return 'must be a secret: "{{ secrets.NAME }}".';
  const wanted = step.sign === 'ed25519' ? 'ed25519' : step.sign === 'ecdsa-sha256' ? 'ec' : 'rsa';
  try {
    const made = createPrivateKey(compose(key, constant).toString('utf8'));
    return made.asymmetricKeyType === wanted ? made : `is a key for ${made.asymmetricKeyType ?? 'something else'}, not for ${step.sign}.`;
  } catch {
    return 'is not a private key in PEM.';
  }
}

/** Compiles a step. It gives what its name stands for. @param key of a signature */
function compileStep(step: ComputeStep, key: KeyObject | undefined): (pieceOf: PieceOf) => Piece {
  if ('text' in step) {
    const text = readComposition(step.text);
    return (pieceOf) => compose(text, pieceOf).toString('utf8');
  }
  const of = readComposition(step.of);
  if ('encode' in step) {
    const { encode } = step;
    return (pieceOf) => {
      const bytes = compose(of, pieceOf);
      return encode === 'percent' ? percentEncoded(bytes.toString('utf8')) : bytes.toString(encode);
    };
  }
  if ('decode' in step) {
    const { decode } = step;
    return (pieceOf) => Buffer.from(compose(of, pieceOf).toString('latin1'), decode);
  }
  if ('hash' in step) return (pieceOf) => written(createHash(step.hash).update(compose(of, pieceOf)).digest(), step.as);
  if ('hmac' in step) {
    const secret = readComposition(step.key);
    return (pieceOf) => written(createHmac(step.hmac, compose(secret, pieceOf)).update(compose(of, pieceOf)).digest(), step.as);
  }
  return (pieceOf) => (key === undefined ? '' : written(signature(step.sign, key, compose(of, pieceOf)), step.as));
}

/** The names that compositions may use. */
export interface KnownPieces {
  readonly names: readonly string[];
  /** Beginnings after which any name may stand: "header.". */
  readonly open?: readonly string[];
  /** Names that stand for bytes, which have no place within a text. */
  readonly bytes?: ReadonlySet<string>;
  /** What names stand for that never change: secrets. */
  readonly constant?: PieceOf;
}

/** Looks for names that nothing stands behind. */
export function checkComposition(text: string, known: KnownPieces, at: { readonly path: string; readonly faults: ProfileFaults }): void {
  for (const part of readComposition(text).parts) {
    if (typeof part === 'string') {
      if (part.includes('{{') || part.includes('}}'))
        at.faults.add(at.path, 'has braces that do not belong together.', 'Write "{{ name }}".');
      continue;
    }
    const isKnown = known.names.includes(part.name) || known.open?.some((start) => part.name.startsWith(start) && part.name !== start);
    if (known.bytes?.has(part.name) === true && readComposition(text).parts.length > 1)
      at.faults.add(at.path, `puts the bytes of "${part.name}" into a text.`, 'Write them as hex or base64 in the step that makes them.');
    if (isKnown !== true) at.faults.add(at.path, `uses "${part.name}", which there is not.`, didYouMean(part.name, known.names));
  }
}

/** Computed values: each of them can use those before it. */
export interface Computation {
  readonly run: (pieceOf: PieceOf) => PieceOf;
}

/** Compiles steps one after the other. Names that are not known, or that would put bytes into a text, are faults. */
export function readSteps(
  steps: readonly ComputeStep[],
  known: KnownPieces,
  { path, faults }: { readonly path: string; readonly faults: ProfileFaults },
): Computation & { readonly names: readonly string[]; readonly bytes: ReadonlySet<string> } {
  const names: string[] = [];
  const bytes = new Set(known.bytes);
  const compiled = steps.map((step, i) => {
    for (const part of ['text', 'of', 'key'] as const) {
      const text = (step as Partial<Record<typeof part, string>>)[part];
      // Bytes may be put together with others to be hashed, but not written as they are.
      const own = part === 'text' ? { bytes } : { bytes: new Set<string>() };
      if (text !== undefined)
        checkComposition(text, { ...known, ...own, names: [...known.names, ...names] }, { path: `${path}.${i}.${part}`, faults });
    }
    if ('decode' in step || ('as' in step && step.as === 'bytes')) bytes.add(step.name);
    if (names.includes(step.name)) faults.add(`${path}.${i}.name`, `is used twice: "${step.name}".`);
    names.push(step.name);
    const key = 'sign' in step ? keyOf(step, known.constant) : undefined;
    if (typeof key === 'string') faults.add(`${path}.${i}.key`, key);
    return { name: step.name, run: compileStep(step, typeof key === 'string' ? undefined : key) };
  });
  return {
    names,
    bytes,
    run: (pieceOf) => {
      const made = new Map<string, Piece>();
      const all: PieceOf = (name) => made.get(name) ?? pieceOf(name);
      for (const { name, run } of compiled) made.set(name, run(all));
      return all;
    },
  };
}
