import { decidingConsent, ENGAGEMENT } from '@verbalis/core/consent';
import { addressText, isFault, parseAddress } from '@verbalis/core/mime';
import type * as z from 'zod';
import { endpointsOf, instant, invalid, json, jsonBody, Refusal, type Clock } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import { inWords, type Suppressing } from '../suppressions/index.js';
import type { Consenting } from './consenting.js';
import type { Invite } from './inviting.js';
import { inLocale } from './localized.js';
import { ConsentQuery, ConsentView, NewConsent, TopicList } from './model.js';
import type { Store } from './store.js';

export interface ConsentEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly editions: Editions;
  readonly suppressing: Suppressing;
  readonly consenting: Consenting;
  /** Whether people can reach the service. */
  readonly canLeave: boolean;
  readonly invite: Invite;
  readonly asksForTracking: (space: string) => boolean;
}

const endpoint = endpointsOf<ConsentEndpoints>();

/** @throws Refusal */
function addressOf(text: string): string {
  const parsed = parseAddress(text);
  if (isFault(parsed)) throw invalid([{ path: 'address', message: parsed.fault, hint: parsed.hint }]);
  return addressText(parsed);
}

async function viewOf(
  space: string,
  address: string,
  { store, editions, suppressing, asksForTracking }: ConsentEndpoints,
): Promise<z.input<typeof ConsentView>> {
  const key = suppressing.keyOf(address);
  const topics = (await editions.current(space))?.project.settings.topics ?? {};
  return {
    address,
    topics: Object.entries(topics).map(([topic, { purpose }]) => {
      const found =
        store.suppressions.inForce(space, key, topic) ?? store.suppressions.inForce(space, suppressing.hiddenOf(address), topic);
      return { topic, purpose, wanted: found === undefined, why: found === undefined ? undefined : inWords(found) };
    }),
    tracking:
      decidingConsent(store.consents.about(space, key, ENGAGEMENT))?.kind === 'rejoined' || !asksForTracking(space)
        ? 'allowed'
        : 'not-allowed',
    history: store.consents.of(space, key).map(({ topic, kind, how, source, at, until, recordedAt, deliveryId }) => ({
      topic,
      kind,
      how,
      source: source ?? undefined,
      at: instant(at),
      until: until === null ? undefined : instant(until),
      recordedAt: instant(recordedAt),
      deliveryId: deliveryId ?? undefined,
    })),
  };
}

const get = endpoint({
  name: 'consents.get',
  method: 'get',
  path: '/v1/consents',
  summary: 'Which topics an address wants, and how that came about',
  scope: 'read',
  query: ConsentQuery,
  answers: { 200: json('Its topics and its history.', ConsentView) },
  run: ({ caller: { space }, query: { address } }, deps) => viewOf(space, addressOf(address), deps),
});

const add = endpoint({
  name: 'consents.add',
  method: 'post',
  path: '/v1/consents',
  summary: 'An address leaves a topic or joins it again, as the app knows',
  description: 'For a page of the app’s own. `source` says how it is known, and stays in the history.',
  scope: 'write',
  audited: 'people',
  body: jsonBody(NewConsent),
  answers: { 200: json('What holds now.', ConsentView) },
  refusals: { 409: 'Email of the topic is essential: it cannot be left.', 429: 'The address was asked just now.' },
  async run({ caller: { space }, body: { address: text, topic, kind, source, at, until, confirm, locale }, request }, deps) {
    const address = addressOf(text);
    const topics = (await deps.editions.current(space))?.project.settings.topics ?? {};
    const own = Object.hasOwn(topics, topic) ? topics[topic] : undefined;
    if (own === undefined && topic !== ENGAGEMENT)
      throw invalid([
        { path: 'topic', message: `names no topic of the mail folder: "${topic}"`, hint: `There are: ${Object.keys(topics).join(', ')}.` },
      ]);
    if (own?.purpose === 'essential')
      throw new Refusal(409, 'essential-topic', 'This topic is essential', {
        detail: `Email of the topic "${topic}" cannot be switched off by its recipients.`,
        hint: 'To send nothing more to an address, add a suppression.',
      });
    if (confirm) {
      const base = `${request.protocol}://${request.get('host') ?? ''}`;
      const { messageId, endsAt } = await deps.invite({ space, address, topic, source, locale }, base);
      return { ...(await viewOf(space, address, deps)), asked: { messageId, until: instant(endsAt) } };
    }
    const now = deps.clock.now();
    const end = until === undefined ? undefined : Date.parse(until);
    if (end !== undefined && end <= now) throw invalid([{ path: 'until', message: 'lies in the past' }]);
    await deps.store.write((tx) => {
      deps.consenting.change(tx, {
        space,
        address,
        topic,
        kind,
        how: 'api',
        source,
        at: at === undefined ? now : Date.parse(at),
        until: end,
      });
    });
    return viewOf(space, address, deps);
  },
});

const topics = endpoint({
  name: 'consents.topics',
  method: 'get',
  path: '/v1/topics',
  summary: 'Topics of the mail folder in use, and how many have left them',
  scope: 'read',
  answers: { 200: json('All of them.', TopicList) },
  async run({ caller: { space } }, { store, editions, canLeave }) {
    const edition = await editions.current(space);
    const settings = edition?.project.settings;
    const left = store.suppressions.leftByTopic(space);
    return {
      topics: Object.entries(settings?.topics ?? {}).map(([topic, { label, description, purpose, lifetimeSeconds, tracking }]) => ({
        topic,
        label: inLocale(label, settings?.locale, settings?.locale ?? 'en') ?? topic,
        description: inLocale(description, settings?.locale, settings?.locale ?? 'en'),
        locales: typeof label === 'string' ? [] : Object.keys(label),
        purpose,
        lifetimeSeconds,
        tracking,
        left: left.get(topic) ?? 0,
        templates: [...(edition?.templates ?? [])].flatMap(([name, { compiled }]) => (compiled.topic === topic ? [name] : [])),
      })),
      canLeave,
    };
  },
});

/** Which topics addresses want. */
export const consentEndpoints = [get, add, topics];
