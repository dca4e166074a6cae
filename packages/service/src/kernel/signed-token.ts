import { createHmac, timingSafeEqual } from 'node:crypto';

/** What the address of a page without a sign-in stands for. */
export interface OpenedToken {
  readonly subject: string;
  /** Milliseconds since the epoch, a whole second. */
  readonly endsAt: number;
}

/** What a token holds for beside its subject: when one of these changes, it opens nothing any more. */
export type BoundTo = readonly (string | number)[];

export interface SignedTokens {
  /** @param subject without "~" @param endsAt milliseconds since the epoch */
  readonly sign: (subject: string, bound: BoundTo, endsAt: number) => OpenedToken & { readonly token: string };
  /** @returns undefined for a token that is altered or too old, or whose subject is not known any more */
  readonly open: (token: string, boundOf: (subject: string) => BoundTo | undefined, now: number) => OpenedToken | undefined;
}

/** 160 bits in base64url. */
const MAC_LENGTH = 27;

/** Tokens in the addresses of pages that need no sign-in: signed, and with an end. Nothing of them is kept. @param purpose keeps those of different pages apart */
export function signedTokens(secret: Uint8Array, purpose: string): SignedTokens {
  const mac = (...parts: readonly (string | number)[]): string =>
    createHmac('sha256', secret)
      .update([purpose, ...parts].join('\0'))
      .digest('base64url')
      .slice(0, MAC_LENGTH);
  return {
    sign(subject, bound, endsAt) {
      const seconds = Math.floor(endsAt / 1000);
      return { token: `${subject}~${seconds.toString(36)}~${mac(subject, ...bound, seconds)}`, subject, endsAt: seconds * 1000 };
    },
    open(token, boundOf, now) {
      const [subject = '', end = '', given = '', more] = token.split('~');
      const bound = more === undefined && /^[0-9a-z]{1,10}$/.test(end) ? boundOf(subject) : undefined;
      if (bound === undefined) return undefined;
      const seconds = Number.parseInt(end, 36);
      const own = Buffer.from(mac(subject, ...bound, seconds));
      const other = Buffer.from(given);
      if (own.length !== other.length || !timingSafeEqual(own, other) || now >= seconds * 1000) return undefined;
      return { subject, endsAt: seconds * 1000 };
    },
  };
}
