import { isNamed } from '@verbalis/core/delivery';
import { Refusal, type CallerKey, type KeyBounds, type RequestProblem } from '../../kernel/index.js';

/** What of a message the bounds of a key speak of. Addresses are as in records. */
export interface Bounded {
  /** Undefined where the app has made the email itself. */
  readonly template: string | undefined;
  readonly topic: string | undefined;
  readonly sender: string;
  /** As they were asked for, whatever the space's rules make of them. */
  readonly recipients: readonly string[];
}

/** At most so many recipients are named. */
const NAMED = 5;

/** @throws Refusal 403 that says in which respects a message is beyond what its key may send */
export function refuseBeyond(key: CallerKey | undefined, message: Bounded): void {
  if (key === undefined) return;
  const problems = beyond(key.bounds, message);
  if (problems.length === 0) return;
  throw new Refusal(403, 'beyond-key', 'This key may not send that message', {
    detail: `${problems.map(({ path, message: text }) => `Its ${path} ${text}`).join('; ')}.`,
    hint: 'Use a key with other bounds; see: verbalis keys list.',
    problems,
  });
}

function beyond({ templates, topics, senders, recipients }: KeyBounds, message: Bounded): RequestProblem[] {
  const problems: RequestProblem[] = [];
  const among = (path: string, value: string | undefined, allowed: readonly string[] | undefined): void => {
    if (allowed === undefined || (value !== undefined && allowed.includes(value))) return;
    problems.push({ path, message: `must be ${allowed.join(' or ')} for this key${value === undefined ? ', and there is none' : ''}` });
  };
  among('template', message.template, templates);
  among('topic', message.topic, topics);
  if (senders !== undefined && !isNamed(message.sender, senders))
    problems.push({ path: 'from', message: `(${message.sender}) must be ${senders.join(' or ')} for this key` });
  const others = message.recipients.filter((address) => !isNamed(address, recipients ?? [address]));
  for (const address of others.slice(0, NAMED))
    problems.push({ path: 'to', message: `(${address}) must be within ${recipients?.join(' or ') ?? ''} for this key` });
  return problems;
}

/** Whether a key may send to an address at all. */
export function mayReach({ recipients }: KeyBounds, address: string): boolean {
  return recipients === undefined || isNamed(address, recipients);
}
