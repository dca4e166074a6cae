import { readAnswer, type Answer, type AnswerContext, type ReadAnswer } from './answer.js';
import { readContent, type ReadContent } from './call.js';
import { readEvents, type ReadEvents } from './callback-events.js';
import { readCondition } from './conditions.js';
import { ProfileFaults, type ProfileFault } from './faults.js';
import { readHandshakes, type MeetHandshake } from './handshake.js';
import { readRequest, type ReadRequest } from './request.js';
import type { Profile } from './schema.js';
import { withSecrets, type Secrets } from './secrets.js';
import type { Callbacks } from './schema-callbacks.js';
import { readSignature, type ReadSignature } from './signature.js';

/** How a provider's calls are met, read and verified. */
export interface ReadCallbacks {
  readonly content: ReadContent;
  readonly signature: ReadSignature;
  readonly handshake: MeetHandshake;
  readonly events: ReadEvents;
}

/** A profile, ready to be used: nothing in it throws at a message, an answer or a call, whatever these hold. */
export interface ReadProfile {
  readonly request: ReadRequest;
  readonly answer: ReadAnswer;
  /** Whether an answer to the check shows that the provider knows us. */
  readonly isOk: (answer: Answer, context: AnswerContext) => boolean;
  readonly callbacks: ReadCallbacks | undefined;
  /** All that is wrong with it. */
  readonly faults: readonly ProfileFault[];
}

function readCallbacks(written: Callbacks, secrets: Secrets, faults: ProfileFaults): ReadCallbacks {
  const callbacks = withSecrets(written, secrets, faults);
  return {
    content: readContent(callbacks.read, faults),
    signature: readSignature(callbacks.signature, faults),
    handshake: readHandshakes(callbacks.handshakes, faults),
    events: readEvents(callbacks, faults),
  };
}

/** Compiles a profile. */
export function readProfile(profile: Profile): ReadProfile {
  const faults = new ProfileFaults();
  const request = readRequest(profile, faults);
  const answer = readAnswer(profile.answer, faults);
  const { ok } = profile.check ?? {};
  const condition = ok === undefined ? undefined : readCondition(ok, answer.names, { path: 'check.ok', faults });
  const callbacks = profile.callbacks === undefined ? undefined : readCallbacks(profile.callbacks, profile.secrets, faults);
  return {
    request,
    answer,
    isOk: (found, context) =>
      condition === undefined ? found.status >= 200 && found.status < 300 : condition(answer.values(found, context)),
    callbacks,
    faults: faults.list,
  };
}
