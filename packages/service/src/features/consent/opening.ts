import { escapeHtml } from '@verbalis/core/render';
import type { Theme } from '@verbalis/core/html';
import express, { type Request, type Response } from 'express';
import type { Clock, PageLanguage } from '../../kernel/index.js';
import type { Editions, LoadedEdition } from '../editions/index.js';
import type { Suppressing } from '../suppressions/index.js';
import type { Consenting } from './consenting.js';
import { inLocale } from './localized.js';
import type { Store } from './store.js';
import type { Subscription, SubscriptionTokens } from './subscription.js';
import { refuseLink } from './refuse.js';
import { spokenIn, type Spoken } from './words.js';

export interface ConsentPageOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly editions: Editions;
  readonly suppressing: Suppressing;
  readonly consenting: Consenting;
  readonly tokens: SubscriptionTokens;
  /** Whether a space asks its recipients before it notes who follows a link. */
  readonly asksForTracking: (space: string) => boolean;
}

/** What a page is about, and in which words. */
export interface Opened extends Spoken {
  readonly subscription: Subscription;
  readonly edition: LoadedEdition | undefined;
  readonly locale: string | undefined;
}

export type TokenRequest = Request<{ token: string }>;

/** Forms of a few fields, and the one field of RFC 8058 in either encoding. */
export const BODY = express.text({ type: () => true, limit: '50kb' });
export const bodyOf = ({ body }: TokenRequest): string => (typeof body === 'string' ? body : '');

/** What the theme of the emails makes of a page. */
function styleOf({ color, font, space }: Theme): string {
  const of = (name: keyof Theme['color']): string => `light-dark(${color[name].light},${color[name].dark})`;
  const plain = (text: string): string => text.replace(/[<>{};]/g, '');
  return (
    `html{background:${of('page')};color:${of('text')}}body{font-family:${plain(font.body)}}h1,h2,.brand{font-family:${plain(font.heading)}}` +
    `main{background:${of('surface')};border:1px solid ${of('line')};border-radius:${space.radius * 2}px;padding:1.5rem 2rem}a{color:${of('link')}}` +
    `.brand{margin:0 0 1.5rem;font-weight:bold;color:${of('soft')}}.soft{opacity:1;color:${of('soft')}}input{accent-color:${of('accent')}}` +
    `button{background:${of('accent')};color:${of('onAccent')};border:2px solid ${of('accent')};border-radius:${space.radius}px}` +
    `button.quiet{background:transparent;color:${of('link')};border-color:${of('line')}}@media(max-width:40rem){body{margin:1rem auto}main{padding:1rem}}`
  );
}

/** The language of a page in the look of a space's emails. */
export function lookOf(language: PageLanguage, edition: LoadedEdition | undefined): PageLanguage {
  if (edition === undefined) return language;
  const { theme, settings } = edition.project;
  return { ...language, style: styleOf(theme), brand: escapeHtml(settings.name) };
}

/** A topic as recipients know it. */
export function labelOf({ edition, locale, words }: Pick<Opened, 'edition' | 'locale' | 'words'>, topic: string): string {
  const settings = edition?.project.settings;
  const own = settings?.topics[topic];
  const label = own === undefined ? topic : (inLocale(own.label, locale, settings?.locale ?? 'en') ?? topic);
  return label === '' ? words.title : label;
}

/** Handlers of pages that a link to unsubscribe leads to: what it stands for is opened first, and a link that is not ours is refused. */
export function opening({ store, editions, tokens }: ConsentPageOptions) {
  async function open(request: TokenRequest): Promise<Opened | undefined> {
    const subscription = tokens.read(request.params.token);
    if (subscription === undefined) return undefined;
    const edition = await editions.current(subscription.space);
    // In the language of the email, as long as that is known; then of the browser.
    const delivery = store.deliveries.find(subscription.deliveryId);
    const message = delivery === undefined ? undefined : store.messages.findAny(delivery.messageId);
    const locale = message?.more.localeAsked ?? message?.locale;
    const wanted = [locale, ...request.acceptsLanguages(), edition?.project.settings.locale];
    const { words, language } = spokenIn(wanted);
    return { subscription, edition, locale: locale ?? request.acceptsLanguages()[0], words, language: lookOf(language, edition) };
  }

  return (handle: (opened: Opened, request: TokenRequest, response: Response) => void | Promise<void>) =>
    async (request: TokenRequest, response: Response): Promise<void> => {
      const opened = await open(request);
      if (opened === undefined) refuseLink(request, response);
      else await handle(opened, request, response);
    };
}
