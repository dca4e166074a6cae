import type { Request, Response, Router } from 'express';
import { readFairnessKey } from '@verbalis/core/delivery';
import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import type { Feed } from '../events/index.js';
import type { Acceptor, DeliveryRow } from '../messages/index.js';
import type { Suppressing } from '../suppressions/index.js';
import { consentChanges, type Consenting } from './consenting.js';
import { consentEndpoints } from './endpoints.js';
import { inviting } from './inviting.js';
import { refuseLink } from './refuse.js';
import { consentPages } from './pages.js';
import { pauseEnds } from './pausing.js';
import type { Store } from './store.js';
import { subscriptionTokens, type SubscriptionTokens } from './subscription.js';

interface Options {
  readonly store: Store;
  readonly editions: Editions;
  readonly suppressing: Suppressing;
  readonly accept: Acceptor;
  readonly feed: Feed;
  /** Seals the links. */
  readonly secret: Uint8Array;
  /** The host of return paths for a sender's domain. */
  readonly returnHostFor: (senderDomain: string) => string;
  /** Where people reach the service for email of a sender's domain, without "/" at its end; undefined where they cannot. */
  readonly baseFor: (senderDomain: string) => string | undefined;
  /** Whether a space asks its recipients before it notes who follows a link. */
  readonly asksForTracking: (space: string) => boolean;
}

/** How a recipient leaves the topic of an email. */
export interface WayOut {
  readonly url: string;
  /** An address with the subject to write to it (RFC 2369). */
  readonly mailto: string;
}

export interface Consent {
  readonly consenting: Consenting;
  readonly tokens: SubscriptionTokens;
  /** The way out for one delivery; undefined for essential email, and where people cannot reach the service. */
  readonly wayOutOf: (delivery: Pick<DeliveryRow, 'id' | 'fairnessKey' | 'address' | 'space' | 'senderDomain'>) => WayOut | undefined;
  /** Pages that need no key. */
  readonly pages: { readonly unsubscribe: Router; readonly preferences: Router; readonly join: Router };
  /** Answers a link that is not one of ours. */
  readonly refuseLink: (request: Request, response: Response) => void;
  readonly feature: Feature;
}

/** The local part, at return hosts, that emails to unsubscribe go to. */
export const UNSUBSCRIBE_ADDRESS = 'unsubscribe';

/** Which topics each address wants. */
export function openConsent({ clock, workers, publicUrl }: Runtime, options: Options): Consent {
  const { store, editions, suppressing, accept, feed, secret, returnHostFor, baseFor, asksForTracking } = options;
  const tokens = subscriptionTokens(secret);
  const consenting: Consenting = consentChanges({
    store,
    clock,
    suppressing,
    feed,
    paused: () => {
      pauses.wake();
    },
  });
  const pauses = pauseEnds({ store, clock, workers, consenting });
  const invite = inviting({ clock, accept, editions, tokens, publicUrl });
  return {
    consenting,
    tokens,
    wayOutOf({ id, fairnessKey, address, space, senderDomain }) {
      const { urgent, topic = '' } = readFairnessKey(fairnessKey);
      const base = baseFor(senderDomain);
      if (base === undefined || urgent) return undefined;
      const token = tokens.tokenOf({ space, topic, address, deliveryId: id });
      return {
        url: `${base}/unsubscribe/${token}`,
        mailto: `mailto:${UNSUBSCRIBE_ADDRESS}@${returnHostFor(senderDomain)}?subject=${token}`,
      };
    },
    pages: consentPages({ store, clock, editions, suppressing, consenting, tokens, asksForTracking }),
    refuseLink,
    feature: {
      name: 'consent',
      running: [pauses],
      clockJumped: pauses.wake,
      endpoints: serve(consentEndpoints, {
        store,
        clock,
        editions,
        suppressing,
        consenting,
        canLeave: publicUrl !== undefined,
        invite,
        asksForTracking,
      }),
    },
  };
}
