import { didYouMean } from '../problems/index.js';
import type { Answer, AnswerReading } from './answer.js';
import type { Call } from './call.js';
import type { CallbackEvent } from './callback-events.js';
import { UnreadableContent } from './contents.js';
import { readProfile, type ReadProfile } from './read-profile.js';
import type { Profile } from './schema.js';
import type { SignatureVerdict } from './signature.js';

/** A recorded HTTP message (message/http, RFC 9112 10.1): an answer of a provider, or a call. */
export type RecordedMessage =
  | { readonly kind: 'answer'; readonly answer: Answer; readonly own: OwnFields }
  | { readonly kind: 'call'; readonly call: Call; readonly own: OwnFields };

/** Our own fields in a recorded message: what is expected of it, and what is around it. */
export interface OwnFields {
  /** What the profile must make of it: "refused mailbox-unknown", or one for each event: "failed asa@post.example; delivered". */
  readonly expect: string | undefined;
  /** The recipient that an answer is about. */
  readonly address: string;
  /** When it came. */
  readonly at: number | undefined;
  /** A secret that it was signed with, in place of the profile's; without it the signature is not looked at, since secrets change. */
  readonly secret: readonly [name: string, value: string] | undefined;
}

const OWN = ['verbalis-expect', 'verbalis-address', 'verbalis-at', 'verbalis-secret'];

/** Reads a recorded message. Lines may end in LF. @returns what is wrong with it, as a sentence, if it is not valid */
export function readRecorded(bytes: Buffer): RecordedMessage | string {
  const text = bytes.toString('latin1');
  const end = /\r?\n\r?\n/.exec(text);
  const head = (end === null ? text : text.slice(0, end.index)).split(/\r?\n/);
  let body = end === null ? Buffer.alloc(0) : bytes.subarray(end.index + end[0].length);
  const [first = '', ...lines] = head;
  const headers: Record<string, string> = {};
  for (const line of lines) {
    const colon = line.indexOf(':');
    if (colon < 1) return `The line "${line.slice(0, 80)}" is not a header field.`;
    headers[line.slice(0, colon).trim().toLowerCase()] = Buffer.from(line.slice(colon + 1).trim(), 'latin1').toString('utf8');
  }
  const unknown = Object.keys(headers).find((name) => name.startsWith('verbalis-') && !OWN.includes(name));
  if (unknown !== undefined) return `There is no field "${unknown}". ${didYouMean(unknown, OWN) ?? ''}`.trim();
  // An editor ends the last line; a message that states its length ends there.
  const length = Number(headers['content-length'] ?? Number.NaN);
  if (Number.isInteger(length) && length <= body.length) body = body.subarray(0, length);
  else if (body.at(-1) === 0x0a) body = body.subarray(0, body.at(-2) === 0x0d ? -2 : -1);
  const at = headers['verbalis-at'] === undefined ? undefined : Date.parse(headers['verbalis-at']);
  if (Number.isNaN(at)) return `Verbalis-At: "${headers['verbalis-at'] ?? ''}" is not a date.`;
  const secret = /^([\w-]+)=(.+)$/.exec(headers['verbalis-secret'] ?? '');
  if (headers['verbalis-secret'] !== undefined && secret === null) return 'Verbalis-Secret must be "name=value".';
  const own: OwnFields = {
    expect: headers['verbalis-expect'],
    address: headers['verbalis-address'] ?? '',
    at,
    secret: secret === null ? undefined : [secret[1] ?? '', secret[2] ?? ''],
  };
  const others = Object.fromEntries(Object.entries(headers).filter(([name]) => !OWN.includes(name)));
  const status = /^HTTP\/\d(?:\.\d)? (\d{3})(?: (.*))?$/.exec(first);
  if (status !== null) {
    const answer: Answer = { status: Number(status[1]), phrase: status[2], headers: others, content: body.toString('utf8') };
    return { kind: 'answer', answer, own };
  }
  const request = /^(GET|POST) (\S+)(?: HTTP\/\d(?:\.\d)?)?$/.exec(first);
  if (request === null) return 'It must begin with a line like "HTTP/1.1 200 OK" or "POST /v1/callbacks/NAME HTTP/1.1".';
  const target = request[2] ?? '/';
  const url = /^https?:/.test(target) ? target : `https://${others['host'] ?? 'localhost'}${target}`;
  return { kind: 'call', call: { method: request[1] ?? 'POST', url, headers: others, body: Buffer.from(body) }, own };
}

/** What a profile makes of a call. */
export interface CallReading {
  /** Undefined where it was not looked at. */
  readonly signature: SignatureVerdict | undefined;
  /** What the handshake is answered with. */
  readonly handshake: string | undefined;
  readonly events: readonly CallbackEvent[];
  /** Why nothing was found in it. */
  readonly problem: string | undefined;
}

/** Reads a call as the service would. @param now to verify its signature; undefined leaves that out */
export function readCall({ callbacks }: ReadProfile, call: Call, now: number | undefined): CallReading | undefined {
  if (callbacks === undefined) return undefined;
  const outside = callbacks.content.outside(call.body);
  const met = callbacks.handshake(call, outside);
  const wanted = callbacks.signature.keysFrom({ call, outside });
  const signature: SignatureVerdict | undefined =
    now === undefined
      ? undefined
      : typeof wanted === 'object'
        ? { ok: false, why: `Its key is at ${wanted.url}, which is fetched only when a call comes.` }
        : callbacks.signature.verify({ call, outside, now });
  if (met !== undefined) {
    const { answer } = met;
    const shown =
      answer.kind === 'text'
        ? answer.text
        : answer.kind === 'json'
          ? JSON.stringify(answer.value)
          : answer.kind === 'fetch'
            ? `fetches ${answer.url}`
            : answer.why;
    return { signature, handshake: shown, events: [], problem: undefined };
  }
  try {
    const events = callbacks.events.raw(call, callbacks.content.read(call.body).inside).map(callbacks.events.read);
    return { signature, handshake: undefined, events, problem: undefined };
  } catch (error) {
    if (!(error instanceof UnreadableContent)) throw error;
    return { signature, handshake: undefined, events: [], problem: error.message };
  }
}

/** What an answer came to, in the words of Verbalis-Expect. */
function answerWords({ outcome }: AnswerReading): string {
  return [outcome.kind, outcome.cause, outcome.providerId, outcome.reply?.enhanced].filter((word) => word !== undefined).join(' ');
}

/** What an event is, in the words of Verbalis-Expect. */
function eventWords({ meaning, cause, address, mail, delivery, status }: CallbackEvent): string {
  return [meaning ?? 'unknown', cause, address ?? mail ?? delivery, status].filter((word) => word !== undefined).join(' ');
}

/** Whether all words that are expected are among those found, the first as the first. */
function fits(expected: string, found: string): boolean {
  const [first, ...rest] = expected.trim().split(/\s+/);
  const [own, ...others] = found.split(' ');
  return first === own && rest.every((word) => others.includes(word));
}

/** Checks a recorded message against its own expectation. @returns what is wrong, as a sentence; undefined where it is as expected */
export function checkRecorded(bytes: Buffer, written: Profile): string | undefined {
  const recorded = readRecorded(bytes);
  if (typeof recorded === 'string') return recorded;
  const { expect, secret } = recorded.own;
  const profile = readProfile(secret === undefined ? written : { ...written, secrets: { ...written.secrets, [secret[0]]: secret[1] } });
  if (expect === undefined) return 'It does not say what is expected: add a field "Verbalis-Expect: refused" below its first line.';
  if (recorded.kind === 'answer') {
    const { address, at = 0 } = recorded.own;
    const reading = profile.answer.read(recorded.answer, { address, now: at });
    const found = answerWords(reading);
    return fits(expect, found) ? undefined : `It is read as "${found}" (by ${reading.because}), not as "${expect}".`;
  }
  const reading = readCall(profile, recorded.call, secret === undefined ? undefined : (recorded.own.at ?? 0));
  if (reading === undefined) return 'It is a call, but the profile has no callbacks.';
  if (reading.signature?.ok === false) return `Its signature does not fit: ${reading.signature.why}`;
  if (reading.problem !== undefined) return reading.problem;
  if (reading.handshake !== undefined)
    return expect === `handshake ${reading.handshake}`
      ? undefined
      : `It is a handshake, answered by "${reading.handshake}", not "${expect}".`;
  const found = reading.events.map(eventWords);
  const wanted = expect.split(';');
  return found.length === wanted.length && wanted.every((words, i) => fits(words, found[i] ?? ''))
    ? undefined
    : `It is read as "${found.join('; ')}", not as "${expect}".`;
}
