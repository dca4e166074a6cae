import { Refusal } from '../../kernel/index.js';
import type { Topic } from './keeping.js';

/** Whether email of a domain is signed now; `none` where it does not have to be. */
export interface SigningRules {
  /** Whether email of a space needs our signature: it delivers, and not all of its providers sign themselves. */
  readonly mustSign: (space: string) => boolean;
  readonly signingOf: (senderDomain: string) => 'none' | 'waiting' | 'signing';
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
    hint: `See what is missing: verbalis domains check ${domain}${isOptional ? '' : `; or allow it meanwhile: spaces.${space}.unsigned`}.`,
  });
}
