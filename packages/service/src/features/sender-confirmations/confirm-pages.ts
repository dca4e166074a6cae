import { escapeHtml } from '@verbalis/core/render';
import type { Response, Router } from 'express';
import { publicRouter, sendPage } from '../../kernel/index.js';
import type { Confirming } from './confirming.js';

/** Pages on which owners of addresses agree that email is sent as them. Opening one changes nothing: scanners do that too. */
export function confirmPages({ open, confirm }: Pick<Confirming, 'open' | 'confirm'>): Router {
  const router = publicRouter();
  const refuse = (response: Response): void => {
    sendPage(
      response.status(404),
      'This link is not known',
      '<p>It is incomplete, or it has expired. Ask the person who sent it for a new one.</p>',
    );
  };

  router.get('/:token', async (request, response) => {
    const question = await open(request.params.token);
    if (question === undefined) {
      refuse(response);
      return;
    }
    const { row, app, endsAt } = question;
    const [address, name] = [escapeHtml(row.address), escapeHtml(app)];
    if (row.confirmedAt !== null) {
      sendPage(response, 'Confirmed', `<p>${name} may send its emails as <strong>${address}</strong>. There is nothing left to do.</p>`);
      return;
    }
    sendPage(
      response,
      `Send as ${address}?`,
      `<p>${name} would like to send its emails with <strong>${address}</strong> as their sender. Recipients will see this address, and their replies will reach you.</p>
<form method="post"><button>I agree</button></form>
<p>If you do not agree, close this page: nothing is sent in your name then. The link works until ${new Date(endsAt).toISOString().slice(0, 10)}.</p>`,
    );
  });

  router.post('/:token', async (request, response) => {
    const question = await open(request.params.token);
    if (question === undefined) {
      refuse(response);
      return;
    }
    await confirm(question.row);
    sendPage(
      response,
      'Thank you',
      `<p>${escapeHtml(question.app)} may now send its emails as <strong>${escapeHtml(question.row.address)}</strong>.</p>`,
    );
  });
  return router;
}
