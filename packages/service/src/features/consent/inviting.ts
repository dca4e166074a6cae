import { boundedCache, type Clock, Refusal } from '../../kernel/index.js';
import { CONFIRM_TOPIC, type Editions } from '../editions/index.js';
import type { Acceptor } from '../messages/index.js';
import { inLocale } from './localized.js';
import type { SubscriptionTokens } from './subscription.js';

export interface Wish {
  readonly space: string;
  readonly address: string;
  readonly topic: string;
  /** How the app knows of it. */
  readonly source: string;
  readonly locale: string | undefined;
}

/** Asks an address whether it wants a topic. @param base where the service is reached @throws Refusal */
export type Invite = (wish: Wish, base: string) => Promise<{ readonly messageId: string; readonly endsAt: number }>;

const [MINUTE, DAY] = [60_000, 86_400_000];
/** A link works for so long, and an address is not asked about a topic more often than this: the person who fills in a form may not be its owner. */
const [LINK_MS, AGAIN_MS] = [7 * DAY, 5 * MINUTE];
/** Addresses that were asked recently. */
const MOST = 20_000;

interface Options {
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly editions: Editions;
  readonly tokens: SubscriptionTokens;
  readonly publicUrl: string | undefined;
}

/** Double opt-in: the address joins when its owner confirms. */
export function inviting({ clock, accept, editions, tokens, publicUrl }: Options): Invite {
  const asked = boundedCache<string, number>(MOST);
  return async ({ space, address, topic, source, locale }, base) => {
    const now = clock.now();
    const key = `${space}\0${topic}\0${address.toLowerCase()}`;
    const since = now - (asked.get(key) ?? Number.NEGATIVE_INFINITY);
    if (since >= 0 && since < AGAIN_MS)
      throw new Refusal(429, 'asked-already', 'The address was asked just now', {
        detail: `An email to ${address} was sent less than ${AGAIN_MS / MINUTE} minutes ago.`,
        retryAfterSeconds: Math.ceil((AGAIN_MS - since) / 1000),
      });
    asked.set(key, now);
    const settings = (await editions.current(space))?.project.settings;
    const endsAt = Math.floor((now + LINK_MS) / 1000) * 1000;
    const data = {
      app: settings?.name ?? space,
      topic: inLocale(settings?.topics[topic]?.label, locale, settings?.locale ?? 'en') ?? topic,
      address,
      link: `${publicUrl ?? base}/join/${tokens.inviteOf({ space, topic, address, source, endsAt })}`,
      until: new Date(endsAt).toISOString().slice(0, 10),
    };
    const wanted = { template: CONFIRM_TOPIC, to: [address], data, ...(locale === undefined ? {} : { locale }) };
    try {
      const { message } = await accept.one(space, wanted, { isBuiltIn: true });
      return { messageId: message.id, endsAt };
    } catch (error) {
      asked.delete(key);
      throw error;
    }
  };
}
