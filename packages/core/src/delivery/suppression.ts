import { domainToASCII } from 'node:url';
import type { Cause } from '../smtp/index.js';
import { causeRow, readCause } from './causes.js';
import type { Fact } from './fact.js';

/** A fact about one of the deliveries to an address. */
export interface AddressFact extends Fact {
  readonly deliveryId: string;
}

export interface SuppressionPlan {
  /** Failures that may pass, of different deliveries, without a success between. */
  readonly after: number;
  /** How far apart the first and the last of them are at least, in milliseconds. */
  readonly spreadMs: number;
}

export const USUAL_SUPPRESSION: SuppressionPlan = { after: 3, spreadMs: 2 * 24 * 3_600_000 };

/** Why an address gets no more mail. */
export const SUPPRESSION_REASONS = ['failed', 'failed-repeatedly', 'complained', 'unsubscribed', 'added', 'imported'] as const;
export type SuppressionReason = (typeof SUPPRESSION_REASONS)[number];

export interface SuppressionVerdict {
  readonly reason: Extract<SuppressionReason, 'failed' | 'failed-repeatedly' | 'complained'>;
  readonly cause: Cause | undefined;
  /** The fact that decided. */
  readonly fact: AddressFact;
}

/** Whether a failure was permanent: the reply code says it, then the enhanced one; without any it is. */
function isLasting(fact: Pick<Fact, 'replyCode' | 'status'>): boolean {
  if (fact.replyCode !== undefined) return fact.replyCode >= 500;
  return fact.status?.startsWith('4') !== true;
}

/**
 * Whether the cause of a failure was only guessed from a code that servers write for anything ("550", "550 Requested action not taken"): that is
 * no evidence against an address.
 */
function isGuessed({ cause, status, replyCode, diagnostic }: Fact): boolean {
  const read = readCause({ status, replyCode, diagnostic });
  return read.confidence === 'guess' && read.cause === cause;
}

function byTime(a: AddressFact, b: AddressFact): number {
  return a.at - b.at || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);
}

/**
 * Whether an address is to get no more mail: a pure function of the set of facts about it, so order and repetition change nothing.
 * @param facts of all its deliveries, each once or more; those before a suppression was lifted left out
 */
export function suppressionOf(facts: readonly AddressFact[], plan: SuppressionPlan): SuppressionVerdict | undefined {
  const all = [...new Map(facts.map((fact) => [fact.id, fact])).values()].sort(byTime);
  const complaint = all.find((addressFact) => addressFact.kind === 'complained');
  if (complaint !== undefined) return { reason: 'complained', cause: undefined, fact: complaint };
  const failures = all.filter((addressFact) => addressFact.kind === 'failed' && addressFact.cause !== undefined && !isGuessed(addressFact));
  const forGood = failures.find(
    (failure) => failure.cause !== undefined && causeRow(failure.cause).suppresses === 'at-once' && isLasting(failure),
  );
  if (forGood !== undefined) return { reason: 'failed', cause: forGood.cause, fact: forGood };
  // A delivery that was accepted and did not fail is a success; one that failed later is not.
  const failed = new Set(all.filter((addressFact) => addressFact.kind === 'failed').map((addressFact) => addressFact.deliveryId));
  const isSuccess = (addressFact: AddressFact): boolean =>
    (addressFact.kind === 'delivered' || addressFact.kind === 'accepted') && !failed.has(addressFact.deliveryId);
  let run = new Map<string, AddressFact>();
  for (const addressFact of all) {
    if (isSuccess(addressFact)) run = new Map();
    else if (
      addressFact.kind === 'failed' &&
      addressFact.cause !== undefined &&
      !isGuessed(addressFact) &&
      causeRow(addressFact.cause).suppresses !== 'never' &&
      !run.has(addressFact.deliveryId)
    ) {
      run.set(addressFact.deliveryId, addressFact);
      const [first] = run.values();
      if (run.size >= plan.after && first !== undefined && addressFact.at - first.at >= plan.spreadMs)
        return { reason: 'failed-repeatedly', cause: addressFact.cause, fact: addressFact };
    }
  }
  return undefined;
}

/** How addresses are compared: the domain in its ASCII form and small letters, the local part as it stands unless told otherwise. */
export function addressKey(address: string, { anyCase }: { readonly anyCase: boolean }): string {
  const at = address.lastIndexOf('@');
  const local = address.slice(0, at);
  const given = address.slice(at + 1);
  const domain = (domainToASCII(given) || given).toLowerCase();
  return `${anyCase ? local.toLowerCase() : local}@${domain}`;
}

const SENDER_FAULTS: ReadonlySet<Cause> = new Set<Cause>(['policy', 'reputation', 'content', 'authentication', 'too-large']);

/** Whether a failure with this cause is the sender's to mend: it does not count against the recipient. */
export function isSenderFault(cause: Cause): boolean {
  return SENDER_FAULTS.has(cause);
}
