import { createHash } from 'node:crypto';
import { escapeHtml } from '@verbalis/core/render';
import express, { type Request, type Response, type Router } from 'express';
import { publicRouter, sendPage, type Clock } from '../../kernel/index.js';
import type { Editions, LoadedEdition } from '../editions/index.js';
import type { Suppressing } from '../suppressions/index.js';
import type { Consenting } from './consenting.js';
import { inLocale } from './localized.js';
import type { Store } from './store.js';
import type { Subscription, SubscriptionTokens } from './subscription.js';
import { filled, spokenIn, type Spoken } from './words.js';

export interface ConsentPageOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly editions: Editions;
  readonly suppressing: Suppressing;
  readonly consenting: Consenting;
  readonly tokens: SubscriptionTokens;
}

/** What a page is about, and in which words. */
interface Opened extends Spoken {
  readonly subscription: Subscription;
  readonly edition: LoadedEdition | undefined;
  readonly locale: string | undefined;
}

/** Forms of a few fields, and the one field of RFC 8058 in either encoding. */
const BODY = express.text({ type: () => true, limit: '50kb' });
const bodyOf = ({ body }: Request): string => (typeof body === 'string' ? body : '');

/** The body of a mail reader's one click (RFC 8058 3.2), urlencoded or as multipart/form-data. */
function isOneClick(body: string): boolean {
  if (new URLSearchParams(body.trim()).get('List-Unsubscribe') === 'One-Click') return true;
  return /name="?List-Unsubscribe"?\r?\n(?:[^\r\n]+\r?\n)*\r?\nOne-Click\r?\n/i.test(body);
}

/** Pages on which recipients leave topics and join them again. No sign-in, no scripts; opening one changes nothing, since machines do that too. */
export function consentPages(options: ConsentPageOptions): {
  readonly unsubscribe: Router;
  readonly preferences: Router;
  readonly join: Router;
} {
  const { store, clock, editions, suppressing, consenting, tokens } = options;

  async function open(request: Request<{ token: string }>): Promise<Opened | undefined> {
    const subscription = tokens.read(request.params.token);
    if (subscription === undefined) return undefined;
    const edition = await editions.current(subscription.space);
    // In the language of the email, as long as that is known; then of the browser.
    const delivery = store.deliveries.find(subscription.deliveryId);
    const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId);
    const locale = message?.more.localeAsked ?? message?.locale;
    const wanted = [locale, ...request.acceptsLanguages(), edition?.project.settings.locale];
    return { subscription, edition, locale: locale ?? request.acceptsLanguages()[0], ...spokenIn(wanted) };
  }

  function refuse(request: Request, response: Response): void {
    const { words, language } = spokenIn(request.acceptsLanguages());
    sendPage(response.status(404), words.unknownTitle, `<p>${words.unknown}</p>`, language);
  }

  function labelOf({ edition, locale, words }: Opened, topic: string): string {
    const settings = edition?.project.settings;
    const own = settings?.topics[topic];
    const label = own === undefined ? topic : (inLocale(own.label, locale, settings?.locale ?? 'en') ?? topic);
    return label === '' ? words.title : label;
  }

  const changed = async (
    opened: Opened,
    changes: readonly { readonly topic: string; readonly isWanted: boolean }[],
    how: 'one-click' | 'page',
  ) => {
    const { space, address, deliveryId } = opened.subscription;
    await store.write((tx) => {
      for (const { topic, isWanted } of changes)
        consenting.change(tx, { space, address, topic, kind: isWanted ? 'rejoined' : 'left', how, at: clock.now(), deliveryId });
    });
  };

  const unsubscribe = publicRouter();
  unsubscribe.get('/:token', async (request, response) => {
    const opened = await open(request);
    if (opened === undefined) {
      refuse(request, response);
      return;
    }
    const { words, language, subscription } = opened;
    const values = { address: escapeHtml(subscription.address), topic: escapeHtml(labelOf(opened, subscription.topic)) };
    sendPage(
      response,
      words.leaveTitle,
      `<p>${filled(words.leave, values)}</p><form method="post"><button>${words.leaveButton}</button></form>${choices(request, words.all)}`,
      language,
    );
  });
  unsubscribe.post('/:token', BODY, async (request, response) => {
    const opened = await open(request);
    if (opened === undefined) {
      refuse(request, response);
      return;
    }
    const { words, language, subscription } = opened;
    await changed(opened, [{ topic: subscription.topic, isWanted: false }], isOneClick(bodyOf(request)) ? 'one-click' : 'page');
    const values = { address: escapeHtml(subscription.address), topic: escapeHtml(labelOf(opened, subscription.topic)) };
    sendPage(response, words.leftTitle, `<p>${filled(words.left, values)}</p>${choices(request, words.all)}`, language);
  });

  /** The topics that can be chosen: optional ones, and the one of the email. */
  function topicsOf({ edition, subscription }: Opened): string[] {
    const all = Object.entries(edition?.project.settings.topics ?? {});
    const optional = all.flatMap(([name, { purpose }]) => (purpose === 'optional' ? [name] : []));
    const isEssential = all.some(([name, { purpose }]) => name === subscription.topic && purpose === 'essential');
    return [...new Set([...optional, ...(isEssential || subscription.topic === '' ? [] : [subscription.topic])])];
  }

  /** Whether email of a topic goes to the address; `blocked` where nothing does, for a reason that the page cannot change. */
  function stateOf({ subscription: { space, address } }: Opened, topic: string): 'on' | 'off' | 'blocked' {
    const names = [suppressing.keyOf(address), suppressing.hiddenOf(address)];
    if (names.some((name) => store.suppressions.exactly(space, name, '') !== undefined)) return 'blocked';
    const found = names.flatMap((name) => store.suppressions.exactly(space, name, topic) ?? []);
    return found.length === 0 ? 'on' : found.every(({ reason }) => reason === 'unsubscribed') ? 'off' : 'blocked';
  }

  function preferencesPage(opened: Opened, isSaved: boolean): string {
    const { words, edition, locale, subscription } = opened;
    const settings = edition?.project.settings;
    const item = (topic: string): string => {
      const state = stateOf(opened, topic);
      const about = inLocale(settings?.topics[topic]?.description, locale, settings?.locale ?? 'en');
      const note = [about, state === 'blocked' ? words.blocked : undefined].flatMap((text) => text ?? []).join(' ');
      return `<li><label><input type="checkbox" name="topic" value="${escapeHtml(topic)}"${state === 'on' ? ' checked' : ''}${state === 'blocked' ? ' disabled' : ''}>${escapeHtml(labelOf(opened, topic))}</label>${note === '' ? '' : `<p class="soft">${escapeHtml(note)}</p>`}</li>`;
    };
    const topics = topicsOf(opened);
    const essential = Object.entries(settings?.topics ?? {}).flatMap(([name, { purpose }]) => (purpose === 'essential' ? [name] : []));
    const form =
      topics.length === 0
        ? `<p>${words.nothing}</p>`
        : `<form method="post"><ul>${topics.map(item).join('')}</ul><button name="do" value="save">${words.save}</button> <button name="do" value="none">${words.none}</button></form>`;
    const always =
      essential.length === 0
        ? ''
        : `<h2>${words.essentialTitle}</h2><p>${words.essential}</p><ul>${essential.map((name) => `<li>${escapeHtml(labelOf(opened, name))}</li>`).join('')}</ul>`;
    return `${isSaved ? `<p role="status"><strong>${words.saved}</strong></p>` : ''}<p>${filled(words.intro, { address: escapeHtml(subscription.address) })}</p>${form}${always}`;
  }

  const preferences = publicRouter();
  preferences.get('/:token', async (request, response) => {
    const opened = await open(request);
    if (opened === undefined) refuse(request, response);
    else sendPage(response, opened.words.title, preferencesPage(opened, false), opened.language);
  });
  preferences.post('/:token', BODY, async (request, response) => {
    const opened = await open(request);
    if (opened === undefined) {
      refuse(request, response);
      return;
    }
    const form = new URLSearchParams(bodyOf(request));
    // Without the button's name nobody has chosen anything: an empty POST must not switch everything off.
    const act = form.get('do');
    if (act === 'save' || act === 'none') {
      const wanted = new Set(act === 'none' ? [] : form.getAll('topic'));
      const topics = topicsOf(opened).filter((topic) => stateOf(opened, topic) !== 'blocked');
      await changed(
        opened,
        topics.map((topic) => ({ topic, isWanted: wanted.has(topic) })),
        'page',
      );
    }
    sendPage(response, opened.words.title, preferencesPage(opened, act !== null), opened.language);
  });
  /** What a link to join asks; undefined where it was altered or has ended. */
  async function invited(request: Request<{ token: string }>) {
    const invitation = tokens.invitation(request.params.token);
    if (invitation === undefined || clock.now() >= invitation.endsAt) return undefined;
    const edition = await editions.current(invitation.space);
    const settings = edition?.project.settings;
    const spoken = spokenIn([...request.acceptsLanguages(), settings?.locale]);
    const label = inLocale(settings?.topics[invitation.topic]?.label, spoken.language.lang, settings?.locale ?? 'en');
    const values = {
      address: escapeHtml(invitation.address),
      topic: escapeHtml(label ?? invitation.topic),
      app: escapeHtml(settings?.name ?? invitation.space),
    };
    return { invitation, values, ...spoken };
  }

  const join = publicRouter();
  join.get('/:token', async (request, response) => {
    const opened = await invited(request);
    if (opened === undefined) {
      refuse(request, response);
      return;
    }
    const { words, language, values } = opened;
    sendPage(
      response,
      words.joinTitle,
      `<p>${filled(words.join, values)}</p><form method="post"><button>${words.joinButton}</button></form>`,
      language,
    );
  });
  join.post('/:token', BODY, async (request, response) => {
    const opened = await invited(request);
    if (opened === undefined) {
      refuse(request, response);
      return;
    }
    const { words, language, values, invitation } = opened;
    const { space, address, topic, source } = invitation;
    // One link is one consent, however often its button is pressed.
    const id = `join:${createHash('sha256').update(request.params.token).digest('hex').slice(0, 40)}`;
    await store.write((tx) => {
      consenting.change(tx, { id, space, address, topic, kind: 'rejoined', how: 'page', source, at: clock.now(), isConfirmed: true });
    });
    sendPage(response, words.joinedTitle, `<p>${filled(words.joined, values)}</p>`, language);
  });
  return { unsubscribe, preferences, join };
}

/** A link to the page with all topics. */
function choices(request: Request<{ token: string }>, words: string): string {
  return `<p><a href="/preferences/${encodeURIComponent(request.params.token)}">${words}</a></p>`;
}
