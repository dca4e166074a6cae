import { decidingConsent, ENGAGEMENT } from '@verbalis/core/consent';
import { escapeHtml } from '@verbalis/core/render';
import type { Router } from 'express';
import { publicRouter, sendPage } from '../../kernel/index.js';
import type { ConsentChange } from './consenting.js';
import { joinPage } from './join-page.js';
import { inLocale } from './localized.js';
import { BODY, bodyOf, labelOf, opening, type ConsentPageOptions, type Opened, type TokenRequest } from './opening.js';
import { filled } from './words.js';

/** For how long a pause lasts. */
const PAUSE_MS = 30 * 86_400_000;

/** The body of a mail reader's one click (RFC 8058 3.2), urlencoded or as multipart/form-data. */
function isOneClick(body: string): boolean {
  if (new URLSearchParams(body.trim()).get('List-Unsubscribe') === 'One-Click') return true;
  return /name="?List-Unsubscribe"?\r?\n(?:[^\r\n]+\r?\n)*\r?\nOne-Click\r?\n/i.test(body);
}

type Change = Pick<ConsentChange, 'topic' | 'kind' | 'until'>;

/** What an address gets of a topic; `blocked` where nothing is sent, for a reason that the page cannot change. */
interface Choice {
  readonly topic: string;
  readonly state: 'on' | 'off' | 'blocked';
  /** Until when it is off, in milliseconds since the epoch. */
  readonly until: number | undefined;
}

/** Pages on which recipients leave topics and join them again. No sign-in, no scripts; opening one changes nothing, since machines do that too. */
export function consentPages(options: ConsentPageOptions): {
  readonly unsubscribe: Router;
  readonly preferences: Router;
  readonly join: Router;
} {
  const { store, clock, suppressing, consenting, asksForTracking } = options;
  const withOpened = opening(options);

  async function change({ subscription }: Opened, changes: readonly Change[], how: 'one-click' | 'page'): Promise<void> {
    const { space, address, deliveryId } = subscription;
    await store.write((tx) => {
      for (const wanted of changes) consenting.change(tx, { space, address, how, at: clock.now(), deliveryId, ...wanted });
    });
  }

  const unsubscribe = publicRouter();
  const valuesOf = (opened: Opened): Record<string, string> => ({
    address: escapeHtml(opened.subscription.address),
    topic: escapeHtml(labelOf(opened, opened.subscription.topic)),
  });
  unsubscribe.get(
    '/:token',
    withOpened((opened, request, response) => {
      const { words, language } = opened;
      const form = `<form method="post"><button>${words.leaveButton}</button></form>`;
      sendPage(
        response,
        words.leaveTitle,
        `<p>${filled(words.leave, valuesOf(opened))}</p>${form}${choicesLink(request, words.all)}`,
        language,
      );
    }),
  );
  unsubscribe.post(
    '/:token',
    BODY,
    withOpened(async (opened, request, response) => {
      const { words, language, subscription } = opened;
      await change(opened, [{ topic: subscription.topic, kind: 'left' }], isOneClick(bodyOf(request)) ? 'one-click' : 'page');
      sendPage(response, words.leftTitle, `<p>${filled(words.left, valuesOf(opened))}</p>${choicesLink(request, words.all)}`, language);
    }),
  );

  /** The topics that can be chosen: optional ones, and the one of the email. */
  function topicsOf({ edition, subscription }: Opened): string[] {
    const all = Object.entries(edition?.project.settings.topics ?? {});
    const optional = all.flatMap(([name, { purpose }]) => (purpose === 'optional' ? [name] : []));
    const isEssential = all.some(([name, { purpose }]) => name === subscription.topic && purpose === 'essential');
    return [...new Set([...optional, ...(isEssential || subscription.topic === '' ? [] : [subscription.topic])])];
  }

  function choiceOf({ subscription: { space, address } }: Opened, topic: string): Choice {
    const names = [suppressing.keyOf(address), suppressing.hiddenOf(address)];
    const is = (state: Choice['state'], until?: number): Choice => ({ topic, state, until });
    if (names.some((name) => store.suppressions.exactly(space, name, '') !== undefined)) return is('blocked');
    const found = names.flatMap((name) => store.suppressions.exactly(space, name, topic) ?? []);
    if (found.length === 0) return is('on');
    if (!found.every(({ reason }) => reason === 'unsubscribed')) return is('blocked');
    return is('off', decidingConsent(store.consents.about(space, suppressing.keyOf(address), topic))?.until ?? undefined);
  }

  /** Whether the address lets it be known who follows a link; undefined where nobody asks. */
  function tracked({ edition, subscription: { space, address } }: Opened): boolean | undefined {
    const isIndividual = Object.values(edition?.project.settings.topics ?? {}).some(({ tracking }) => tracking?.mode === 'individual');
    if (!isIndividual || !asksForTracking(space)) return undefined;
    return decidingConsent(store.consents.about(space, suppressing.keyOf(address), ENGAGEMENT))?.kind === 'rejoined';
  }

  function preferencesPage(opened: Opened, isSaved: boolean): string {
    const { words, edition, locale, language, subscription } = opened;
    const settings = edition?.project.settings;
    const dateOf = (at: number): string =>
      new Intl.DateTimeFormat(language.lang, { dateStyle: 'long', timeZone: settings?.timeZone ?? 'UTC' }).format(at);
    const box = (name: string, label: string, { state, until }: Pick<Choice, 'state' | 'until'>, about?: string): string => {
      const pause = until === undefined ? undefined : filled(words.paused, { date: dateOf(until) });
      const note = [about, pause, state === 'blocked' ? words.blocked : undefined].flatMap((text) => text ?? []).join(' ');
      return `<li><label><input type="checkbox" name="topic" value="${escapeHtml(name)}"${state === 'on' ? ' checked' : ''}${state === 'blocked' ? ' disabled' : ''}>${escapeHtml(label)}</label>${note === '' ? '' : `<p class="soft">${escapeHtml(note)}</p>`}</li>`;
    };
    const choices = topicsOf(opened).map((topic) => choiceOf(opened, topic));
    const boxes = choices.map((choice) =>
      box(
        choice.topic,
        labelOf(opened, choice.topic),
        choice,
        inLocale(settings?.topics[choice.topic]?.description, locale, settings?.locale ?? 'en'),
      ),
    );
    const tracking = tracked(opened);
    if (tracking !== undefined)
      boxes.push(box(ENGAGEMENT, words.tracking, { state: tracking ? 'on' : 'off', until: undefined }, words.trackingAbout));
    const buttons = [
      `<button name="do" value="save">${words.save}</button>`,
      `<button class="quiet" name="do" value="none">${words.none}</button>`,
      ...(choices.some(({ state }) => state === 'on') ? [`<button class="quiet" name="do" value="pause">${words.pause}</button>`] : []),
    ];
    const form =
      boxes.length === 0 ? `<p>${words.nothing}</p>` : `<form method="post"><ul>${boxes.join('')}</ul>${buttons.join(' ')}</form>`;
    const essential = Object.entries(settings?.topics ?? {}).flatMap(([name, { purpose }]) => (purpose === 'essential' ? [name] : []));
    const always =
      essential.length === 0
        ? ''
        : `<h2>${words.essentialTitle}</h2><p>${words.essential}</p><ul>${essential.map((name) => `<li>${escapeHtml(labelOf(opened, name))}</li>`).join('')}</ul>`;
    return `${isSaved ? `<p role="status"><strong>${words.saved}</strong></p>` : ''}<p>${filled(words.intro, { address: escapeHtml(subscription.address) })}</p>${form}${always}`;
  }

  /** What a form asks for. Without the button's name nobody has chosen anything: an empty POST must not switch everything off. */
  function wishes(opened: Opened, form: URLSearchParams): Change[] | undefined {
    const act = form.get('do');
    const choices = topicsOf(opened)
      .map((topic) => choiceOf(opened, topic))
      .filter(({ state }) => state !== 'blocked');
    if (act === 'pause') {
      const until = clock.now() + PAUSE_MS;
      return choices.flatMap(({ topic, state }): Change[] => (state === 'on' ? [{ topic, kind: 'left', until }] : []));
    }
    if (act !== 'save' && act !== 'none') return undefined;
    const wanted = new Set(act === 'none' ? [] : form.getAll('topic'));
    // Saving something else does not make a pause a farewell.
    const chosen = choices.filter(({ topic, until }) => act === 'none' || until === undefined || wanted.has(topic));
    const names = [...chosen.map(({ topic }) => topic), ...(tracked(opened) === undefined ? [] : [ENGAGEMENT])];
    return names.map((topic): Change => ({ topic, kind: wanted.has(topic) ? 'rejoined' : 'left' }));
  }

  const preferences = publicRouter();
  preferences.get(
    '/:token',
    withOpened((opened, _request, response) => {
      sendPage(response, opened.words.title, preferencesPage(opened, false), opened.language);
    }),
  );
  preferences.post(
    '/:token',
    BODY,
    withOpened(async (opened, request, response) => {
      const changes = wishes(opened, new URLSearchParams(bodyOf(request)));
      if (changes !== undefined) await change(opened, changes, 'page');
      sendPage(response, opened.words.title, preferencesPage(opened, changes !== undefined), opened.language);
    }),
  );
  return { unsubscribe, preferences, join: joinPage(options) };
}

/** A link to the page with all topics. */
function choicesLink(request: TokenRequest, words: string): string {
  return `<p><a href="/preferences/${encodeURIComponent(request.params.token)}">${words}</a></p>`;
}
