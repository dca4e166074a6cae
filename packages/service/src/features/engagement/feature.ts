import { decidingConsent } from '@verbalis/core/consent';
import type { Request, RequestHandler, Response } from 'express';
import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import { ENGAGEMENT } from '../consent/index.js';
import type { DeliveryRow, MessageRow } from '../messages/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import type { Suppressing } from '../suppressions/index.js';
import { engagementEndpoints } from './endpoints.js';
import { groupOf, hitRecorder } from './hits.js';
import type { LinkListener } from './link-listener.js';
import { hitPages } from './pages.js';
import type { Store } from './store.js';
import { withoutTracking, type EmailTracking } from './tracking.js';

interface Options {
  readonly store: Store;
  readonly spaces: SpaceSettings;
  readonly suppressing: Suppressing;
  /** Signs the addresses in emails. */
  readonly secret: Uint8Array;
  /** Of the journal, beside the database. */
  readonly file: string;
  /** Where people reach the service for email of a sender's domain, without "/" at its end; undefined where they cannot. */
  readonly baseFor: (senderDomain: string) => string | undefined;
  /** A listener for links alone, where there is one. */
  readonly links: LinkListener | undefined;
  /** Names of the service, in small letters; undefined where every name is answered. */
  readonly hostNames: readonly string[] | undefined;
  readonly trustProxy: readonly string[];
  readonly isLinkHost: (host: string) => boolean;
  /** Answers a link that is not one of ours. */
  readonly refuse: (request: Request, response: Response) => void;
}

/** How an email is tracked; undefined where it is not. */
export type TrackingOf = (
  message: Pick<MessageRow, 'id' | 'space' | 'template' | 'topic' | 'more'>,
  delivery: Pick<DeliveryRow, 'id' | 'address' | 'senderDomain' | 'createdAt' | 'notBefore' | 'kept' | 'intended'>,
) => EmailTracking | undefined;

export interface EngagementFeature {
  readonly trackingOf: TrackingOf;
  readonly pages: { readonly go: RequestHandler; readonly image: RequestHandler };
  /** HTML as it was before its links were tracked. */
  readonly unlinked: (html: string) => string;
  readonly feature: Feature;
}

const MINUTE = 60_000;
const DAY = 86_400_000;
/** Hours of figures are kept for so long. */
const KEPT_MS = 400 * DAY;
const STEP = 500;

/** Links that are followed and pictures that are loaded. */
export function openEngagement({ clock, log, workers, registry, publicUrl }: Runtime, options: Options): EngagementFeature {
  const { store, spaces, suppressing, secret, file, baseFor, refuse, links, hostNames, trustProxy, isLinkHost } = options;
  const rules = { names: hostNames, trustProxy };
  const hits = hitRecorder({ store, clock, log, workers, registry, file, secret, links, rules, isLinkHost });

  /** Whether a recipient wants what they do to be known. */
  const agrees = (space: string, address: string): boolean =>
    decidingConsent(store.consents.about(space, suppressing.keyOf(address), ENGAGEMENT))?.kind === 'rejoined';

  const trackingOf: TrackingOf = ({ space, template, topic, more }, delivery) => {
    const { tracking } = more;
    const base = baseFor(delivery.senderDomain);
    const rules = spaces[space];
    if (tracking === undefined || base === undefined || rules?.mode !== 'deliver' || more.raw !== undefined) return undefined;
    // An email that the space's rules keep here or send elsewhere does not reach the recipient.
    if (delivery.kept || delivery.intended !== null) return undefined;
    const isIndividual = tracking.mode === 'individual' && (!rules.requireConsent || agrees(space, delivery.address));
    const { opens, clicks, text } = tracking;
    return {
      base,
      own: [...new Set([base, ...(publicUrl === undefined ? [] : [publicUrl.replace(/\/$/, '')])])],
      key: secret,
      opens,
      clicks,
      text,
      of: isIndividual
        ? { mode: 'individual', deliveryId: delivery.id }
        : {
            mode: 'counts',
            group: groupOf(secret, delivery.id),
            space,
            template,
            topic: topic ?? '',
            sentMinute: Math.floor(Math.max(delivery.createdAt, delivery.notBefore ?? 0) / MINUTE),
          },
    };
  };

  return {
    trackingOf,
    unlinked: (html) => withoutTracking(html, secret),
    pages: hitPages({ key: secret, note: hits.note, refuse }),
    feature: {
      name: 'engagement',
      endpoints: serve(engagementEndpoints, { store, clock }),
      running: [hits],
      clockJumped: hits.wake,
      fault: () => (links?.isListening() === false ? 'The listener for links of emails has ended.' : undefined),
      retention: [{ name: 'counts of engagement', step: (tx, now) => store.engagement.forget(tx, now - KEPT_MS, STEP) }],
      close: hits.close,
    },
  };
}
