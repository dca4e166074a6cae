import { signedTokens, type Clock } from '../../kernel/index.js';
import type { Domains, SendingDomain } from '../domains/index.js';

export interface Sharing {
  /** The address of a page that shows a domain without a sign-in. @param base where the service is reached */
  readonly share: (domain: SendingDomain, days: number, base: string) => { readonly url: string; readonly expiresAt: number };
  /** The domain of a token; undefined for one that is altered, has ended or was revoked, or whose domain was removed since. */
  readonly open: (token: string) => { readonly domain: SendingDomain; readonly expiresAt: number } | undefined;
}

const DAY = 86_400_000;

/** Pages for the owner of the DNS: their addresses are signed and expire. */
export function sharing({
  domains,
  clock,
  secret,
  publicUrl,
}: {
  readonly domains: Domains;
  readonly clock: Clock;
  readonly secret: Uint8Array;
  readonly publicUrl: string | undefined;
}): Sharing {
  const tokens = signedTokens(secret, 'share');
  // A domain that is added again is another one.
  const bound = ({ createdAt, sharedPages }: SendingDomain): readonly number[] => [createdAt, sharedPages];
  const find = (name: string): SendingDomain | undefined => {
    const domain = domains.find(name);
    return domain?.name === name ? domain : undefined;
  };
  return {
    share(domain, days, base) {
      const { token, endsAt } = tokens.sign(domain.name, bound(domain), clock.now() + days * DAY);
      return { url: `${publicUrl ?? base}/domain/${token}`, expiresAt: endsAt };
    },
    open(token) {
      const boundOf = (name: string): readonly number[] | undefined => {
        const domain = find(name);
        return domain === undefined ? undefined : bound(domain);
      };
      const opened = tokens.open(token, boundOf, clock.now());
      const domain = opened === undefined ? undefined : find(opened.subject);
      return opened === undefined || domain === undefined ? undefined : { domain, expiresAt: opened.endsAt };
    },
  };
}
