import { isHostOf, UnreadableContent, type Call, type RawEvent, type ReadCallbacks } from '@verbalis/core/profile';
import type { Request } from 'express';
import {
  bytesBody,
  content,
  endpointsOf,
  fetchOutside,
  json,
  Refusal,
  Reply,
  textParams,
  type Clock,
  type OutsideRules,
} from '../../kernel/index.js';
import type { PublicKeys } from './keys.js';
import type { MeaninglessCalls } from './meaningless.js';
import { CallStored } from './model.js';
import { MOST_EVENTS, type CallbackReceiver } from './receiver.js';

export interface CallbackEndpoints {
  readonly clock: Clock;
  readonly receiver: CallbackReceiver;
  readonly meaningless: MeaninglessCalls;
  readonly keys: PublicKeys;
  readonly outside: OutsideRules;
  readonly outsideWaitMs: number;
  /** The address under which the service is called, where it is known. */
  readonly publicUrl: string | undefined;
  /** The largest call, in bytes. */
  readonly mostBytes: number;
  /** Counts a call whose signature does not fit. */
  readonly refused: (provider: string) => void;
}

const endpoint = endpointsOf<CallbackEndpoints>();
/** Largest answer of an address that is fetched to confirm ours, in bytes. */
const MOST_CONFIRMATION = 64 * 1024;

function callOf(request: Request, body: Buffer, publicUrl: string | undefined): Call {
  const base = publicUrl ?? `${request.protocol}://${request.get('host') ?? 'localhost'}`;
  return { method: request.method, url: `${base}${request.originalUrl}`, headers: request.headers, body };
}

function notSigned(detail: string): Refusal {
  return new Refusal(401, 'call-not-signed', 'The signature does not show that this call is the provider’s', { detail });
}

function profileOf(name: string, { receiver }: CallbackEndpoints): ReadCallbacks {
  const callbacks = receiver.profiles.get(name);
  if (callbacks === undefined) throw notSigned(`No provider "${name}" has callbacks.`);
  return callbacks;
}

/** A call that has arrived for a provider. */
interface Arrived {
  readonly name: string;
  readonly callbacks: ReadCallbacks;
  readonly call: Call;
  /** What stands outside in its content. */
  readonly outside: unknown;
}

/** Refuses a call that is not signed as the profile says. */
async function verify({ name, callbacks: { signature }, call, outside }: Arrived, deps: CallbackEndpoints): Promise<void> {
  const wanted = signature.keysFrom({ call, outside });
  const fetched = wanted === undefined ? { text: undefined } : typeof wanted === 'string' ? { why: wanted } : await deps.keys.fetch(wanted);
  const verdict =
    'why' in fetched
      ? { ok: false as const, why: fetched.why }
      : signature.verify({ call, outside, now: deps.clock.now(), keys: fetched.text });
  if (verdict.ok) return;
  deps.refused(name);
  throw notSigned(verdict.why);
}

/** Answers a handshake. @returns undefined for any other call */
async function answerHandshake(arrived: Arrived, deps: CallbackEndpoints): Promise<Reply<string> | undefined> {
  const met = arrived.callbacks.handshake(arrived.call, arrived.outside);
  if (met === undefined) return undefined;
  if (met.signed) await verify(arrived, deps);
  const { answer } = met;
  switch (answer.kind) {
    case 'text':
      // What was sent is given back, so it must be nothing that a browser would show as a page.
      return new Reply(answer.text, { headers: { 'Content-Type': 'text/plain; charset=utf-8' } });
    case 'json':
      return new Reply(JSON.stringify(answer.value ?? null), { headers: { 'Content-Type': 'application/json' } });
    case 'refused':
      throw new Refusal(403, 'handshake-refused', 'The handshake is refused', { detail: answer.why });
    case 'fetch':
      await fetchOutside(
        answer.url,
        { ...deps.outside, mayGo: (url) => isHostOf(url, answer.hosts) },
        MOST_CONFIRMATION,
        deps.outsideWaitMs,
      ).catch((error: unknown) => {
        throw new Refusal(502, 'handshake-failed', 'The address to be fetched gave no answer', {
          detail: error instanceof Error ? error.message : String(error),
        });
      });
      return new Reply('', { headers: { 'Content-Type': 'text/plain; charset=utf-8' } });
  }
}

/** The events of a call, as they stand; or why the profile finds nothing in it. */
function eventsIn(
  { content: contents, events }: ReadCallbacks,
  call: Call,
): { readonly raw: readonly RawEvent[]; readonly nothing?: string } {
  try {
    const raw = events.raw(call, contents.read(call.body).inside);
    if (raw.length === 0 || raw.some((event) => events.read(event).type !== '')) return { raw };
    return { raw, nothing: `None of its ${raw.length} events has anything at ${events.types.join(' nor ')}.` };
  } catch (error) {
    if (!(error instanceof UnreadableContent)) throw error;
    return { raw: [], nothing: error.message };
  }
}

const receive = endpoint({
  name: 'callbacks.receive',
  method: 'post',
  path: '/v1/callbacks/{provider}',
  summary: 'Receive events of an HTTP provider, as its profile describes them',
  description: 'Needs no key: the call is signed as the profile says. Answered when it is on the disk; read afterwards.',
  scope: 'open',
  params: textParams('provider'),
  body: bytesBody<CallbackEndpoints>([], ({ mostBytes }) => mostBytes),
  answers: { 200: json('How many events were stored.', CallStored) },
  refusals: {
    401: 'The signature does not show that the call is the provider’s.',
    403: 'A handshake names an address that the profile does not allow.',
    422: 'The profile finds nothing in the call. It is kept to be looked at.',
    502: 'A handshake names an address that gives no answer.',
  },
  async run({ params: { provider: name }, request, body }, deps) {
    const callbacks = profileOf(name, deps);
    const call = callOf(request, body, deps.publicUrl);
    const outside = callbacks.content.outside(body);
    const arrived = { name, callbacks, call, outside };
    const handshake = await answerHandshake(arrived, deps);
    if (handshake !== undefined) return handshake;
    await verify(arrived, deps);
    const { raw, nothing } = eventsIn(callbacks, call);
    if (raw.length > MOST_EVENTS)
      throw new Refusal(413, 'too-many-events', 'There are too many events in one call', {
        detail: `At most ${MOST_EVENTS} are accepted.`,
      });
    if (nothing === undefined) {
      await deps.receiver.receive(name, raw);
      return { events: raw.length };
    }
    await deps.receiver.keepUnread(name, body);
    deps.meaningless.add(name, nothing);
    throw new Refusal(422, 'call-means-nothing', 'The profile of this provider finds nothing in this call', {
      detail: nothing,
      hint: 'The call is kept. Compare it with callbacks.read, callbacks.events and callbacks.fields of the profile: verbalis quarantine list, verbalis returns list.',
    });
  },
});

const greet = endpoint({
  name: 'callbacks.greet',
  method: 'get',
  path: '/v1/callbacks/{provider}',
  summary: 'Answer a provider that makes sure that this address is ours',
  description: 'Needs no key. Answered as the handshakes of the profile say.',
  scope: 'open',
  params: textParams('provider'),
  answers: { 200: content('What the provider expects.', 'text/plain') },
  refusals: { 401: 'A handshake is not signed, though it should be.', 404: 'The call is not a handshake of this provider.' },
  async run({ params: { provider: name }, request }, deps) {
    const callbacks = profileOf(name, deps);
    const call = callOf(request, Buffer.alloc(0), deps.publicUrl);
    const answer = await answerHandshake({ name, callbacks, call, outside: undefined }, deps);
    if (answer !== undefined) return answer;
    throw new Refusal(404, 'not-a-handshake', 'This call is not a handshake of this provider', {
      detail: `No handshake of "${name}" by GET fits.`,
      hint: 'Compare the call with callbacks.handshakes of the profile. Events come by POST.',
    });
  },
});

/** Calls of providers: they have no key of ours, and show by their signature who they are. */
export const callbackEndpoints = [receive, greet];
