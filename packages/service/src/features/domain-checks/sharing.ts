import { createHmac, timingSafeEqual } from 'node:crypto';
import type { Clock } from '../../kernel/index.js';
import type { Domains, SendingDomain } from '../domains/index.js';

export interface Sharing {
  /** The address of a page that shows a domain without a sign-in. @param base where the service is reached */
  readonly share: (domain: SendingDomain, days: number, base: string) => { readonly url: string; readonly expiresAt: number };
  /** The domain of a token; undefined for one that is altered or too old, or whose domain was removed since. */
  readonly open: (token: string) => { readonly domain: SendingDomain; readonly expiresAt: number } | undefined;
}

const DAY = 86_400_000;

/** Pages for whoever owns the DNS: their addresses are signed, and end. */
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
  // A domain that is added again is another one.
  const mac = (name: string, createdAt: number, seconds: number): string =>
    createHmac('sha256', secret).update(`share\0${name}\0${createdAt}\0${seconds}`).digest('base64url').slice(0, 27);
  return {
    share(domain, days, base) {
      const seconds = Math.floor((clock.now() + days * DAY) / 1000);
      const token = `${domain.name}~${seconds.toString(36)}~${mac(domain.name, domain.createdAt, seconds)}`;
      return { url: `${publicUrl ?? base}/domain/${token}`, expiresAt: seconds * 1000 };
    },
    open(token) {
      const [name = '', end = '', given = '', more] = token.split('~');
      const domain = more === undefined && /^[0-9a-z]{1,10}$/.test(end) ? domains.find(name) : undefined;
      if (domain?.name !== name) return undefined;
      const seconds = Number.parseInt(end, 36);
      const own = Buffer.from(mac(name, domain.createdAt, seconds));
      const other = Buffer.from(given);
      if (own.length !== other.length || !timingSafeEqual(own, other) || clock.now() >= seconds * 1000) return undefined;
      return { domain, expiresAt: seconds * 1000 };
    },
  };
}
