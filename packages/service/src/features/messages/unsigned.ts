import { Refusal } from '../../kernel/index.js';
import type { Topic } from './keeping.js';

/** Whether email of a domain is signed now; `none` where it does not have to be. */
export interface SigningRules {
  /** Whether email of a space needs our signature: it delivers, and not all of its providers sign themselves. */
  readonly mustSign: (space: string) => boolean;
  readonly signingOf: (senderDomain: string) => 'none' | 'waiting' | 'signing';
}

/**
 * Refuses email of an optional topic where its recipients would have no way to leave it.
 * @throws Refusal
 */
export function refuseUnleavable({
  canLeave,
  mode,
  topic,
  name,
}: {
  /** Whether people can reach the service. */
  readonly canLeave: boolean;
  readonly mode: 'deliver' | 'capture';
  readonly topic: Topic | undefined;
  readonly name: string | undefined;
}): void {
  if (canLeave || mode === 'capture' || topic?.purpose !== 'optional') return;
  throw new Refusal(409, 'no-unsubscribe', 'Recipients could not unsubscribe', {
    detail: `Email of the optional topic "${name ?? ''}" needs a link to unsubscribe, and the service does not know under which address people reach it.`,
    hint: 'Set publicUrl in verbalis.yaml to the https address of the service; or make the topic essential in mail.yaml if it is.',
  });
}

/**
 * Refuses email whose domain is being set up. An optional topic needs a signature over its List-Unsubscribe fields (RFC 8058 4); essential email
 * goes out without one only where the space allows it.
 * @throws Refusal
 */
export function refuseUnsigned(
  { mustSign, signingOf }: SigningRules,
  {
    space,
    domain,
    topic,
    isAllowed,
  }: { readonly space: string; readonly domain: string; readonly topic: Topic | undefined; readonly isAllowed: boolean },
): void {
  if (signingOf(domain) !== 'waiting' || !mustSign(space)) return;
  const isOptional = topic?.purpose === 'optional';
  if (isAllowed && !isOptional) return;
  throw new Refusal(409, 'not-signed-yet', 'Email of this domain cannot be signed yet', {
    detail: isOptional
      ? `The keys of ${domain} are not published, and email that can be unsubscribed from must be signed (RFC 8058).`
      : `The keys of ${domain} are not published, and the space "${space}" sends nothing unsigned.`,
    hint: `See what is missing: verbalis domains check ${domain}${isOptional ? '' : `; or allow it until then: spaces.${space}.unsigned`}.`,
  });
}
