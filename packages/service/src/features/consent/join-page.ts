import { createHash } from 'node:crypto';
import { escapeHtml } from '@verbalis/core/render';
import type { Response, Router } from 'express';
import { publicRouter, sendPage } from '../../kernel/index.js';
import { inLocale } from './localized.js';
import { BODY, lookOf, type ConsentPageOptions, type TokenRequest } from './opening.js';
import { refuseLink } from './refuse.js';
import { filled, spokenIn } from './words.js';

/** The page that a link to confirm leads to: its button joins a topic. */
export function joinPage({ store, clock, editions, tokens, consenting }: ConsentPageOptions): Router {
  /** What the link asks; undefined where it was altered or has ended. */
  async function invited(request: TokenRequest) {
    const invitation = tokens.invitation(request.params.token);
    if (invitation === undefined || clock.now() >= invitation.endsAt) return undefined;
    const edition = await editions.current(invitation.space);
    const settings = edition?.project.settings;
    const { words, language } = spokenIn([...request.acceptsLanguages(), settings?.locale]);
    const label = inLocale(settings?.topics[invitation.topic]?.label, language.lang, settings?.locale ?? 'en');
    const values = {
      address: escapeHtml(invitation.address),
      topic: escapeHtml(label ?? invitation.topic),
      app: escapeHtml(settings?.name ?? invitation.space),
    };
    return { invitation, values, words, language: lookOf(language, edition) };
  }
  type Invited = NonNullable<Awaited<ReturnType<typeof invited>>>;
  const withInvited =
    (handle: (opened: Invited, request: TokenRequest, response: Response) => void | Promise<void>) =>
    async (request: TokenRequest, response: Response): Promise<void> => {
      const opened = await invited(request);
      if (opened === undefined) refuseLink(request, response);
      else await handle(opened, request, response);
    };

  const router = publicRouter();
  router.get(
    '/:token',
    withInvited(({ words, language, values }, _request, response) => {
      const form = `<form method="post"><button>${words.joinButton}</button></form>`;
      sendPage(response, words.joinTitle, `<p>${filled(words.join, values)}</p>${form}`, language);
    }),
  );
  router.post(
    '/:token',
    BODY,
    withInvited(async ({ words, language, values, invitation }, request, response) => {
      const { space, address, topic, source } = invitation;
      // One link is one consent, however often its button is pressed.
      const id = `join:${createHash('sha256').update(request.params.token).digest('hex').slice(0, 40)}`;
      await store.write((tx) => {
        consenting.change(tx, { id, space, address, topic, kind: 'rejoined', how: 'page', source, at: clock.now(), isConfirmed: true });
      });
      sendPage(response, words.joinedTitle, `<p>${filled(words.joined, values)}</p>`, language);
    }),
  );
  return router;
}
