import { bytesBody, endpointsOf, json, Refusal, textParams, type Clock } from '../../kernel/index.js';
import type { Callbacks } from '../providers/index.js';
import { eventOf, rawEvents } from './events.js';
import type { MeaninglessCalls } from './meaningless.js';
import { CallStored } from './model.js';
import { MOST_EVENTS, type CallbackReceiver } from './receiver.js';
import { verifyCall } from './verify.js';

export interface CallbackEndpoints {
  readonly clock: Clock;
  readonly receiver: CallbackReceiver;
  readonly meaningless: MeaninglessCalls;
  /** The largest call, in bytes. */
  readonly mostBytes: number;
  /** Counts a call whose signature does not fit. */
  readonly refused: (provider: string) => void;
}

const endpoint = endpointsOf<CallbackEndpoints>();

/** The events of a call, as they stand; or why the profile finds nothing in it. */
function eventsIn(callbacks: Callbacks, bytes: Uint8Array): { readonly events: readonly unknown[]; readonly nothing?: string } {
  let body: unknown;
  try {
    body = JSON.parse(Buffer.from(bytes).toString('utf8'));
  } catch {
    throw new Refusal(400, 'not-json', 'The body is not JSON');
  }
  try {
    const events = rawEvents(callbacks, body);
    if (events.length === 0 || events.some((event) => eventOf(callbacks, event).type !== '')) return { events };
    const paths = [callbacks.fields.type].flat().join(' nor ');
    return { events, nothing: `None of its ${events.length} events has anything at ${paths}.` };
  } catch (error) {
    return { events: [], nothing: error instanceof Error ? error.message : String(error) };
  }
}

const receive = endpoint({
  name: 'callbacks.receive',
  method: 'post',
  path: '/v1/returns/{id}',
  summary: 'Receive events of an HTTP provider, as its profile describes them',
  description:
    'Needs no key: the call is signed as the profile says. Answered when it is on the disk; read afterwards. Here {id} is the name of the provider.',
  scope: 'open',
  params: textParams('id'),
  body: bytesBody<CallbackEndpoints>([], ({ mostBytes }) => mostBytes),
  answers: { 200: json('How many events were stored.', CallStored) },
  refusals: {
    401: 'The signature does not show that the call is the provider’s.',
    422: 'The profile finds nothing in the call. It is kept to be looked at.',
  },
  async run({ params: { id: name }, request: { headers }, body }, { clock, receiver, meaningless, refused }) {
    const callbacks = receiver.profiles.get(name);
    if (callbacks === undefined)
      throw new Refusal(401, 'call-not-signed', 'The signature does not show that this call is the provider’s', {
        detail: `No provider "${name}" has callbacks.`,
      });
    const verdict = verifyCall(callbacks.signature, headers, body, clock.now());
    if (!verdict.ok) {
      refused(name);
      throw new Refusal(401, 'call-not-signed', 'The signature does not show that this call is the provider’s', { detail: verdict.why });
    }
    const { events, nothing } = eventsIn(callbacks, body);
    if (events.length > MOST_EVENTS)
      throw new Refusal(413, 'too-many-events', 'There are too many events in one call', {
        detail: `At most ${MOST_EVENTS} are accepted.`,
      });
    await receiver.receive(name, body);
    if (nothing === undefined) return { events: events.length };
    meaningless.add(name, nothing);
    throw new Refusal(422, 'call-means-nothing', 'The profile of this provider finds nothing in this call', {
      detail: nothing,
      hint: 'The call is kept. Compare it with callbacks.events and callbacks.fields of the profile: verbalis quarantine list, verbalis returns list.',
    });
  },
});

/** Calls of providers: they have no key of ours, and show by their signature who they are. */
export const callbackEndpoints = [receive];
