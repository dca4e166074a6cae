import express, { type Express } from 'express';
import type { Mail } from './mail.js';

interface SignedInOptions {
  readonly mail: Mail;
  /** Where pages reach the mail service. */
  readonly mailUrl: string;
  /** The token of who is signed in, as the app's identity provider gives it to the page. */
  readonly tokenOf: () => Promise<string>;
}

const PAGE = (mailUrl: string): string => `<!doctype html>
<html lang="en"><meta charset="utf-8"><title>Your tickets</title>
<main><h1>Your tickets</h1>
<label>A note <input id="note"></label> <button id="send">Email them to me</button> <p id="outcome" role="status"></p></main>
<script type="module">
  const say = (text) => { document.getElementById('outcome').textContent = text; };
  document.getElementById('send').addEventListener('click', async () => {
    const { permit, token } = await (await fetch('/permit', { method: 'POST' })).json();
    const response = await fetch('${mailUrl}/v1/permitted-messages', {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'idempotency-key': crypto.randomUUID() },
      body: JSON.stringify({ permit, identity: token, data: { note: document.getElementById('note').value } }),
    });
    const answer = await response.json();
    say(response.ok ? 'They are on their way.' : answer.title + ': ' + (answer.detail ?? ''));
  });
</script></html>`;

/**
 * Case 3: a page of a signed-in person asks for an email to that person. The backend fixes template and data with a permit; the page adds a
 * note; whom it goes to says the token of who is signed in, and nothing else.
 */
export function signedIn({ mail, mailUrl, tokenOf }: SignedInOptions): Express {
  const app = express();
  app.get('/', (_request, response) => {
    response.type('html').send(PAGE(mailUrl));
  });
  app.post('/permit', async (_request, response) => {
    const { permit } = await mail.permits.add({
      template: 'tickets',
      to: 'identity',
      data: { tickets: [{ from: 'Brackwater', to: 'Tern Island', departsAt: '2026-12-04T08:45:00Z' }] },
      mayAdd: { type: 'object', properties: { note: { type: 'string', maxLength: 200 } } },
      times: 1,
      minutes: 5,
    });
    response.json({ permit, token: await tokenOf() });
  });
  return app;
}
