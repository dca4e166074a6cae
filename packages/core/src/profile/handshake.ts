import { createHmac } from 'node:crypto';
import { readPayloadTemplate, type PayloadTemplate } from '../payload/index.js';
import { contextOf, sourceAt, type Call } from './call.js';
import type { ProfileFaults } from './faults.js';
import type { Callbacks, Handshake } from './schema-callbacks.js';
import { isHostOf } from './signature.js';
import { asText, type CompiledSource, type SourceKind } from './sources.js';

/** How a handshake is answered. */
export type HandshakeAnswer =
  | { readonly kind: 'text'; readonly text: string }
  | { readonly kind: 'json'; readonly value: unknown }
  /** The address is fetched, then the call is answered. */
  | { readonly kind: 'fetch'; readonly url: string; readonly hosts: readonly string[] }
  | { readonly kind: 'refused'; readonly why: string };

/** A handshake that a call is. */
export interface MetHandshake {
  /** Whether the call must be signed as others are. */
  readonly signed: boolean;
  readonly answer: HandshakeAnswer;
}

/** @returns undefined where a call is not a handshake. Never throws. */
export type MeetHandshake = (call: Call, outside: unknown) => MetHandshake | undefined;

const KINDS: readonly SourceKind[] = ['here', 'header', 'query'];
/** Tokens are short; what is longer is not given back. */
const MOST_TOKEN = 1000;

function compile(handshake: Handshake, path: string, faults: ProfileFaults): MeetHandshake {
  const source = (written: string | undefined, what: string): CompiledSource | undefined =>
    sourceAt(written, `${path}.${what}`, { kinds: KINDS, faults });
  const when = source(handshake.when?.at, 'when.at');
  const token = handshake.kind === 'confirm' ? source(handshake.address, 'address') : source(handshake.token, 'token');
  let json: PayloadTemplate | undefined;
  if (handshake.kind !== 'confirm' && handshake.json !== undefined) {
    const known = handshake.kind === 'proof' ? { token: undefined, proof: undefined } : { token: undefined };
    const { payload, problems } = readPayloadTemplate(handshake.json, path, known);
    for (const problem of problems) faults.add(`${path}.json`, `is not right at ${problem.message}`, problem.hint);
    json = payload;
  }
  const answerOf = (value: string): HandshakeAnswer => {
    if (handshake.kind === 'confirm') {
      return isHostOf(value, handshake.hosts)
        ? { kind: 'fetch', url: value, hosts: handshake.hosts }
        : { kind: 'refused', why: 'The address to be fetched is not at a host that the profile allows.' };
    }
    const proof =
      handshake.kind === 'proof'
        ? `${handshake.prefix}${createHmac(handshake.hash, handshake.secret).update(value).digest(handshake.encoding)}`
        : undefined;
    return json === undefined ? { kind: 'text', text: proof ?? value } : { kind: 'json', value: json({ token: value, proof }) };
  };
  return (call, outside) => {
    if (call.method !== handshake.method) return undefined;
    const context = contextOf(call, outside);
    if (handshake.when !== undefined) {
      const found = asText(when?.read(context));
      if (found === undefined || (handshake.when.is !== undefined && found !== handshake.when.is)) return undefined;
    }
    const value = asText(token?.read(context));
    if (value === undefined || value.length > MOST_TOKEN) return undefined;
    return { signed: handshake.signed ?? handshake.method === 'POST', answer: answerOf(value) };
  };
}

/** Compiles the handshakes of a profile; the first that a call is decides. */
export function readHandshakes(handshakes: Callbacks['handshakes'], faults: ProfileFaults): MeetHandshake {
  const compiled = handshakes.map((handshake, i) => compile(handshake, `callbacks.handshakes.${i}`, faults));
  return (call, outside) => {
    for (const meet of compiled) {
      const met = meet(call, outside);
      if (met !== undefined) return met;
    }
    return undefined;
  };
}
