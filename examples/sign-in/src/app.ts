import { randomBytes, randomInt, timingSafeEqual } from 'node:crypto';
import express, { type Express, type NextFunction, type Request, type Response } from 'express';

/** How the app emails: the one thing that it asks of the world. */
export type SendSignIn = (
  to: string,
  wanted: { readonly code: string; readonly link: string; readonly validMinutes: number },
) => Promise<void>;

interface Offer {
  readonly address: string;
  readonly code: string;
  readonly goodUntil: number;
  wrong: number;
}

const VALID_MINUTES = 10;
/** Wrong codes until an offer is worth nothing. */
const MOST_WRONG = 5;

function escape(text: string): string {
  return text.replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
}

/** A field of a form or an address; text, whatever else was sent. */
function told(fields: unknown, name: string): string {
  const value = (fields as Readonly<Record<string, unknown>> | undefined)?.[name];
  return typeof value === 'string' ? value : '';
}

function page(response: Response, body: string, status = 200): void {
  response.status(status).type('html').send(`<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Crew desk</title>
<style>body{font:18px/1.5 sans-serif;max-width:26rem;margin:4rem auto;padding:0 1rem}input,button{font:inherit;padding:.4rem .6rem;margin:.2rem 0}</style>
<main><h1>Crew desk</h1>${body}</main></html>`);
}

/**
 * A small sign-in without passwords: by a code, or by a link. Offers and sessions are kept in memory, since this shows the mail and not the
 * store.
 * @param publicUrl where the app is reached; links in emails begin with it
 */
export function signInApp(send: SendSignIn, publicUrl: () => string): Express {
  const offers = new Map<string, Offer>();
  const sessions = new Map<string, string>();
  const app = express();
  app.use(express.urlencoded({ extended: false }));

  const signIn = (response: Response, token: string, { address }: Offer): void => {
    offers.delete(token);
    const session = randomBytes(24).toString('base64url');
    sessions.set(session, address);
    response.cookie('session', session, { httpOnly: true, sameSite: 'lax' }).redirect(303, '/');
  };
  const good = (token: string): Offer | undefined => {
    const offer = offers.get(token);
    return offer !== undefined && offer.goodUntil > Date.now() && offer.wrong < MOST_WRONG ? offer : undefined;
  };
  const late = (response: Response): void => {
    page(response, '<p role="alert">This is not good any more.</p><p><a href="/">Ask for another code</a></p>', 410);
  };

  app.get('/', (request, response) => {
    const session = /(?:^|;\s*)session=([^;]+)/.exec(request.headers.cookie ?? '')?.[1] ?? '';
    const address = sessions.get(session);
    if (address !== undefined) {
      page(response, `<p>You are signed in as <strong>${escape(address)}</strong>.</p>`);
      return;
    }
    page(
      response,
      '<form method="post" action="/offers"><label>Your address<br><input name="address" type="email" required></label> <button>Send a code</button></form>',
    );
  });

  app.post('/offers', async (request, response) => {
    const address = told(request.body, 'address').trim();
    const token = randomBytes(24).toString('base64url');
    const code = String(randomInt(1_000_000)).padStart(6, '0');
    offers.set(token, { address, code, goodUntil: Date.now() + VALID_MINUTES * 60_000, wrong: 0 });
    await send(address, { code, link: `${publicUrl()}/sign-in?token=${token}`, validMinutes: VALID_MINUTES });
    page(
      response,
      `<p>A code is on its way to ${escape(address)}.</p><form method="post" action="/sessions"><input type="hidden" name="token" value="${token}"><label>The code<br><input name="code" inputmode="numeric" autocomplete="one-time-code" required></label> <button>Sign in</button></form>`,
    );
  });

  app.post('/sessions', (request, response) => {
    const token = told(request.body, 'token');
    const offer = good(token);
    if (offer === undefined) {
      late(response);
      return;
    }
    const typed = Buffer.from(told(request.body, 'code').replace(/\D/g, '').padEnd(6).slice(0, 6));
    if (!timingSafeEqual(typed, Buffer.from(offer.code))) {
      offer.wrong += 1;
      page(response, '<p role="alert">That is not the code.</p>', 401);
      return;
    }
    signIn(response, token, offer);
  });

  // Programs that read mail follow links; only a person presses the button.
  app.get('/sign-in', (request, response) => {
    const token = told(request.query, 'token');
    const offer = good(token);
    if (offer === undefined) {
      late(response);
      return;
    }
    page(
      response,
      `<form method="post" action="/sign-in"><input type="hidden" name="token" value="${escape(token)}"><button>Sign in as ${escape(offer.address)}</button></form>`,
    );
  });
  app.post('/sign-in', (request, response) => {
    const token = told(request.body, 'token');
    const offer = good(token);
    if (offer === undefined) late(response);
    else signIn(response, token, offer);
  });
  // What keeps the email from being sent is for the log; whoever waits for a code is asked to try again.
  app.use((error: Error, _request: Request, response: Response, next: NextFunction) => {
    if (response.headersSent) {
      next(error);
      return;
    }
    process.stderr.write(`${error.message}\n`);
    page(response, '<p role="alert">The email could not be sent. Please try again in a minute.</p><p><a href="/">Back</a></p>', 503);
  });
  return app;
}
