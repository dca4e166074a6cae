import { isFault, parseAddress } from '@verbalis/core/mime';
import { readCall, readRecorded, type RecordedMessage } from '@verbalis/core/profile';
import { replyText } from '@verbalis/core/smtp';
import type * as z from 'zod';
import { instant, invalid, Refusal } from '../../kernel/index.js';
import type { ProviderTry } from './model.js';
import type { TestJobs } from './probe.js';
import type { Job, ProfileTrial, Provider } from './provider.js';

/** A provider that is described by a profile. */
export interface TriedProvider {
  readonly trial: ProfileTrial;
}

interface TryDeps {
  readonly provider: Provider;
  readonly jobs: TestJobs;
  readonly jobOf: (space: string, messageId: string) => Promise<Job | undefined>;
}

type TryBody = z.output<typeof ProviderTry>;

/** Where no recipient is named. */
export const SOMEBODY = 'asa@post.example';

/** The request for an email. @throws Refusal */
export async function triedRequest({ trial }: TriedProvider, body: TryBody, space: string, deps: TryDeps) {
  const { message, content, to = SOMEBODY } = body;
  const address = parseAddress(to);
  if (isFault(address)) throw invalid([{ path: 'to', message: address.fault, hint: address.hint }]);
  const job = message === undefined ? await deps.jobs(deps.provider, space, to, content) : await deps.jobOf(space, message);
  if (job === undefined)
    throw message === undefined
      ? new Refusal(422, 'no-sender', 'The space has no sender to write the email')
      : new Refusal(404, 'unknown-message', 'There is no such message', { detail: `No message "${message}" in ${space}.` });
  try {
    const { headers, ...request } = trial.request(job);
    return { ...request, headers: [...headers] };
  } catch (error) {
    throw new Refusal(422, 'request-not-made', 'The profile cannot make a request of this email', {
      detail: error instanceof Error ? error.message : String(error),
    });
  }
}

/** A recorded message of one kind. @throws Refusal */
function recordedOf<K extends RecordedMessage['kind']>(text: string, kind: K): Extract<RecordedMessage, { readonly kind: K }> {
  const recorded = readRecorded(Buffer.from(text, 'base64'));
  if (typeof recorded === 'string') throw invalid([{ path: kind, message: recorded, hint: undefined }]);
  if (recorded.kind !== kind)
    throw invalid([
      { path: kind, message: kind === 'answer' ? 'This is a call, not an answer.' : 'This is an answer, not a call.', hint: undefined },
    ]);
  return recorded as Extract<RecordedMessage, { readonly kind: K }>;
}

export function triedAnswer({ trial: { reading } }: TriedProvider, text: string, to: string, now: number) {
  const { answer, own } = recordedOf(text, 'answer');
  const { outcome, because, values } = reading.answer.read(answer, { address: own.address === '' ? to : own.address, now });
  const { kind, cause, providerId, reply, reason, retryAfterMs } = outcome;
  const diagnostic = reply === undefined ? reason : replyText(reply);
  const retryAfterSeconds = retryAfterMs === undefined ? undefined : retryAfterMs / 1000;
  return { outcome: kind, because, cause, providerId, diagnostic, retryAfterSeconds, values };
}

export function triedCall({ trial: { reading } }: TriedProvider, text: string, now: number) {
  const { call, own } = recordedOf(text, 'call');
  const found = readCall(reading, call, own.at ?? now);
  if (found === undefined) throw new Refusal(422, 'no-callbacks', 'The profile of this provider has no callbacks');
  const { signature, handshake, problem, events } = found;
  return {
    signature: signature === undefined || signature.ok ? 'right' : signature.why,
    handshake,
    problem,
    events: events.map(({ id, type, meaning, cause, address, mail, delivery, at, status, reason }) => ({
      id,
      type,
      meaning,
      cause,
      address,
      mail,
      delivery,
      at: at === undefined ? undefined : instant(at),
      status,
      reason,
    })),
  };
}
