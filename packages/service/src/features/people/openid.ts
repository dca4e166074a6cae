import type { Request, Response } from 'express';
import { parseCookie } from 'cookie';
import * as openid from 'openid-client';
import type { Logger } from 'pino';
import { empty, endpointsOf, Refusal } from '../../kernel/index.js';
import type { PeopleSettings } from './model.js';
import type { PersonRow } from './queries.js';
import { openSession, type SessionOptions } from './sessions.js';
import { baseOf } from './signing-in.js';

export interface OpenidEndpoints extends SessionOptions {
  readonly log: Logger;
  readonly settings: PeopleSettings['openid'];
  /** The provider as it describes itself; asked for once, and again where that failed. */
  readonly provider: () => Promise<openid.Configuration>;
}

const endpoint = endpointsOf<OpenidEndpoints>();

/** What a browser keeps while someone signs in elsewhere. */
const COOKIE = 'verbalis_openid';
const PATH = '/console/openid';
const COOKIE_MS = 10 * 60_000;
const ASK_SECONDS = 10;

/** Why someone is not signed in, as the console's page of signing in has words for it. */
type Why = 'not-invited' | 'not-verified' | 'interrupted' | 'unavailable';

interface Begun {
  readonly state: string;
  readonly nonce: string;
  readonly verifier: string;
}

function begunOf(request: Request): Begun | undefined {
  try {
    const text = Buffer.from(parseCookie(request.headers.cookie ?? '')[COOKIE] ?? '', 'base64url').toString();
    const { state, nonce, verifier } = JSON.parse(text) as Partial<Begun>;
    return state !== undefined && nonce !== undefined && verifier !== undefined ? { state, nonce, verifier } : undefined;
  } catch {
    return undefined;
  }
}

function refuse(response: Response, why: Why): void {
  response.clearCookie(COOKIE, { path: PATH });
  response.redirect(303, `/sign-in#refused=${why}`);
}

/** Finds the provider's configuration when it is first needed. */
export function openidProvider(settings: PeopleSettings['openid']): () => Promise<openid.Configuration> {
  let found: Promise<openid.Configuration> | undefined;
  return () => {
    if (settings === undefined) return Promise.reject(new Error('No OpenID provider is configured.'));
    const { issuer, clientId, clientSecret } = settings;
    // Only an issuer that is configured so is asked without TLS: the library marks it so that it stands out.
    // oxlint-disable-next-line typescript/no-deprecated
    const insecure = issuer.startsWith('http:') ? [openid.allowInsecureRequests] : [];
    found ??= openid
      .discovery(new URL(issuer), clientId, clientSecret, undefined, { execute: insecure, timeout: ASK_SECONDS })
      .catch((error: unknown) => {
        found = undefined;
        throw error;
      });
    return found;
  };
}

function noProvider(): Refusal {
  return new Refusal(404, 'no-openid', 'No OpenID provider is configured', { hint: 'Set people.openid in verbalis.yaml.' });
}

const start = endpoint({
  name: 'session.openidStart',
  method: 'get',
  path: `${PATH}/start`,
  summary: 'Sign in at the OpenID provider: leads there',
  scope: 'open',
  answers: { 303: empty('To the provider, or back with a reason.') },
  refusals: { 404: 'No OpenID provider is configured.' },
  async run({ request, response }, { settings, provider, publicUrl, log }) {
    if (settings === undefined) throw noProvider();
    const config = await provider().catch((error: unknown) => {
      log.error({ err: error, issuer: settings.issuer }, 'the OpenID provider could not be asked');
      return undefined;
    });
    if (config === undefined) {
      refuse(response, 'unavailable');
      return undefined;
    }
    const begun: Begun = { state: openid.randomState(), nonce: openid.randomNonce(), verifier: openid.randomPKCECodeVerifier() };
    const url = openid.buildAuthorizationUrl(config, {
      redirect_uri: `${baseOf(request, publicUrl)}${PATH}/back`,
      scope: settings.scopes.join(' '),
      state: begun.state,
      nonce: begun.nonce,
      code_challenge: await openid.calculatePKCECodeChallenge(begun.verifier),
      code_challenge_method: 'S256',
    });
    const secure = request.secure || publicUrl?.startsWith('https:') === true;
    // The provider leads back from its own site, and a strict cookie would not come along.
    const kept = Buffer.from(JSON.stringify(begun)).toString('base64url');
    response.cookie(COOKIE, kept, { httpOnly: true, sameSite: 'lax', secure, path: PATH, maxAge: COOKIE_MS });
    response.redirect(303, url.href);
    return undefined;
  },
});

/** What the provider says of someone; the library has checked signature, issuer, audience, nonce and time (OpenID Connect Core 1.0, 3.1.3.7). */
interface Identity {
  readonly issuer: string;
  readonly subject: string;
  readonly email: string | undefined;
}

/** The person whom an identity belongs to: whom it was bound to, else who was invited by its verified address and is bound to none yet. */
function personOf({ store }: OpenidEndpoints, { issuer, subject, email }: Identity): PersonRow | Why {
  const known = store.people.bySubject(issuer, subject);
  if (known !== undefined) return known;
  if (email === undefined) return 'not-verified';
  const invited = store.people.byEmail(email.toLowerCase());
  return invited?.issuer === null ? invited : 'not-invited';
}

const back = endpoint({
  name: 'session.openidBack',
  method: 'get',
  path: `${PATH}/back`,
  summary: 'Where the OpenID provider leads back to: signs in',
  scope: 'open',
  audited: 'change',
  answers: { 303: empty('To the console, or back with a reason.') },
  refusals: { 404: 'No OpenID provider is configured.' },
  async run({ request, response }, deps) {
    const { settings, provider, publicUrl, log, store } = deps;
    if (settings === undefined) throw noProvider();
    const begun = begunOf(request);
    if (begun === undefined) {
      refuse(response, 'interrupted');
      return undefined;
    }
    let identity: Identity;
    try {
      const url = new URL(request.originalUrl, baseOf(request, publicUrl));
      const tokens = await openid.authorizationCodeGrant(await provider(), url, {
        pkceCodeVerifier: begun.verifier,
        expectedState: begun.state,
        expectedNonce: begun.nonce,
        idTokenExpected: true,
      });
      const claims = tokens.claims();
      if (claims === undefined) {
        refuse(response, 'interrupted');
        return undefined;
      }
      const { iss, sub, email, email_verified: isVerified } = claims;
      identity = { issuer: iss, subject: sub, email: typeof email === 'string' && isVerified === true ? email : undefined };
    } catch (error) {
      log.warn({ err: error }, 'a person could not sign in at the OpenID provider');
      refuse(response, 'interrupted');
      return undefined;
    }
    const person = personOf(deps, identity);
    if (typeof person === 'string') {
      log.warn(
        { issuer: identity.issuer, subject: identity.subject, why: person },
        'a person signed in at the OpenID provider who may not use this service',
      );
      refuse(response, person);
      return undefined;
    }
    await openSession(
      deps,
      { request, response },
      {
        person,
        way: 'openid',
        also: (tx) => {
          store.people.change(tx, person.id, { issuer: identity.issuer, subject: identity.subject });
        },
      },
    );
    response.clearCookie(COOKIE, { path: PATH });
    response.redirect(303, '/');
    return undefined;
  },
});

/** Signing in at an OpenID provider (OpenID Connect Core 1.0, authorization code flow with PKCE, RFC 7636). */
export const openidEndpoints = [start, back];
