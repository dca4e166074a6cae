import { sealedTokens } from '../../kernel/index.js';

/** What a link to unsubscribe stands for. */
export interface Subscription {
  readonly space: string;
  readonly topic: string;
  readonly address: string;
  /** Of the email that the link was in. It may have been removed since: the link works without it. */
  readonly deliveryId: string;
}

export interface SubscriptionTokens {
  readonly tokenOf: (subscription: Subscription) => string;
  /** @returns undefined for a token that we did not make */
  readonly read: (token: string) => Subscription | undefined;
}

/** Tokens of links to unsubscribe: they never end, and show nothing of what they stand for. */
export function subscriptionTokens(secret: Uint8Array): SubscriptionTokens {
  const { seal, open } = sealedTokens(secret);
  return {
    tokenOf: ({ space, topic, address, deliveryId }) => seal([space, topic, address, deliveryId].join('\n')),
    read(token) {
      const [space, topic, address, deliveryId, more] = open(token)?.split('\n') ?? [];
      if (space === undefined || topic === undefined || address === undefined || deliveryId === undefined || more !== undefined)
        return undefined;
      return { space, topic, address, deliveryId };
    },
  };
}
