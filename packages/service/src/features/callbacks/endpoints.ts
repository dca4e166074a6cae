import { bytesBody, endpointsOf, json, Refusal, textParams, type Clock } from '../../kernel/index.js';
import type { Callbacks } from '../providers/index.js';
import { rawEvents } from './events.js';
import { CallStored } from './model.js';
import { MOST_EVENTS, type CallbackReceiver } from './receiver.js';
import { verifyCall } from './verify.js';

export interface CallbackEndpoints {
  readonly clock: Clock;
  readonly receiver: CallbackReceiver;
  /** The largest call, in bytes. */
  readonly mostBytes: number;
  /** Counts a call whose signature does not fit. */
  readonly refused: (provider: string) => void;
}

const endpoint = endpointsOf<CallbackEndpoints>();

/** How many events a call has. One whose events a path of the profile does not find is stored all the same: it waits in quarantine then. */
function countEvents(callbacks: Callbacks, bytes: Uint8Array): number {
  let body: unknown;
  try {
    body = JSON.parse(Buffer.from(bytes).toString('utf8'));
  } catch {
    throw new Refusal(400, 'not-json', 'The body is not JSON');
  }
  try {
    return rawEvents(callbacks, body).length;
  } catch {
    return 0;
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
  refusals: { 401: 'The signature does not show that the call is the provider’s.' },
  async run({ params: { id: name }, request: { headers }, body }, { clock, receiver, refused }) {
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
    const events = countEvents(callbacks, body);
    if (events > MOST_EVENTS)
      throw new Refusal(413, 'too-many-events', 'There are too many events in one call', {
        detail: `At most ${MOST_EVENTS} are accepted.`,
      });
    await receiver.receive(name, body);
    return { events };
  },
});

/** Calls of providers: they have no key of ours, and show by their signature who they are. */
export const callbackEndpoints = [receive];
