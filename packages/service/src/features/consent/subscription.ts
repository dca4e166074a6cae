import { sealedTokens } from '../../kernel/index.js';

/** What a link to unsubscribe stands for. */
export interface Subscription {
  readonly space: string;
  readonly topic: string;
  readonly address: string;
  /** Of the email that the link was in. It may have been removed since: the link works without it. */
  readonly deliveryId: string;
}

/** What a link to join a topic stands for, after someone asked for it in the name of an address. */
export interface Invitation extends Omit<Subscription, 'deliveryId'> {
  /** How the app knows of the wish. */
  readonly source: string;
  /** Milliseconds since the epoch. */
  readonly endsAt: number;
}

export interface SubscriptionTokens {
  readonly inviteOf: (invitation: Invitation) => string;
  /** @returns undefined for a token that we did not make; whether it has ended is for others to see */
  readonly invitation: (token: string) => Invitation | undefined;
  readonly tokenOf: (subscription: Subscription) => string;
  /** @returns undefined for a token that we did not make */
  readonly read: (token: string) => Subscription | undefined;
}

/** Tokens of links to unsubscribe: they never end, and show nothing of what they stand for. */
export function subscriptionTokens(secret: Uint8Array): SubscriptionTokens {
  const { seal, open } = sealedTokens(secret);
  return {
    tokenOf: ({ space, topic, address, deliveryId }) => seal([space, topic, address, deliveryId].join('\n')),
    inviteOf: ({ space, topic, address, source, endsAt }) => seal(['join', space, topic, address, source, String(endsAt)].join('\n')),
    invitation(token) {
      // A link to unsubscribe has fewer lines.
      const [word, space, topic, address, source, end] = open(token)?.split('\n') ?? [];
      if (word !== 'join' || space === undefined || topic === undefined || address === undefined || source === undefined) return undefined;
      return end === undefined ? undefined : { space, topic, address, source, endsAt: Number(end) };
    },
    read(token) {
      const [space, topic, address, deliveryId, more] = open(token)?.split('\n') ?? [];
      if (space === undefined || topic === undefined || address === undefined || deliveryId === undefined || more !== undefined)
        return undefined;
      return { space, topic, address, deliveryId };
    },
  };
}
