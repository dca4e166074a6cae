import { createHash, randomBytes } from 'node:crypto';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { exportJWK, generateKeyPair, SignJWT } from 'jose';

/** Someone who has an account at the provider. */
export interface Account {
  readonly sub: string;
  readonly email: string;
  readonly name: string;
  readonly isVerified?: boolean;
}

export interface SignInProviderOptions {
  readonly host: string;
  readonly port: number;
  readonly clientId: string;
  readonly clientSecret: string;
  readonly accounts: readonly Account[];
  /** Laid over the claims of tokens: what a provider does that is not right. */
  readonly claims?: () => Readonly<Record<string, unknown>>;
}

export interface SignInProvider {
  /** The issuer. */
  readonly url: string;
  readonly close: () => Promise<void>;
}

interface Grant {
  readonly account: Account;
  readonly redirectUri: string;
  readonly challenge: string;
  readonly nonce: string | undefined;
}

const LASTS_SECONDS = 300;
const ALGORITHM = 'ES256';

async function formOf(request: IncomingMessage): Promise<URLSearchParams> {
  let text = '';
  for await (const chunk of request) text += String(chunk);
  return new URLSearchParams(text);
}

const escaped = (text: string): string => text.replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`);

function answer(response: ServerResponse, status: number, body: unknown): void {
  response.writeHead(status, { 'content-type': 'application/json', 'cache-control': 'no-store' });
  response.end(JSON.stringify(body));
}

/** Where the staff of a company signs in: an OpenID provider on which people choose who they are (OpenID Connect Core 1.0, RFC 7636). */
export async function startSignInProvider(options: SignInProviderOptions): Promise<SignInProvider> {
  const { host, port, clientId, clientSecret, accounts, claims = () => ({}) } = options;
  const { publicKey, privateKey } = await generateKeyPair(ALGORITHM);
  const kid = randomBytes(8).toString('hex');
  const codes = new Map<string, Grant>();
  let url = '';

  function authorize(query: URLSearchParams, response: ServerResponse): void {
    const redirectUri = query.get('redirect_uri') ?? '';
    const account = accounts.find(({ sub }) => sub === query.get('login'));
    if (query.get('client_id') !== clientId || query.get('code_challenge_method') !== 'S256') {
      answer(response, 400, { error: 'invalid_request' });
      return;
    }
    if (account === undefined) {
      const choices = accounts.map(({ sub, name, email }) => {
        const to = new URLSearchParams(query);
        to.set('login', sub);
        return `<li><a href="?${escaped(to.toString())}">${escaped(name)} (${escaped(email)})</a></li>`;
      });
      response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' });
      response.end(`<!doctype html><html lang="en"><title>Accounts</title><h1>Who are you?</h1><ul>${choices.join('')}</ul></html>`);
      return;
    }
    const code = randomBytes(16).toString('base64url');
    codes.set(code, { account, redirectUri, challenge: query.get('code_challenge') ?? '', nonce: query.get('nonce') ?? undefined });
    const back = new URL(redirectUri);
    back.searchParams.set('code', code);
    back.searchParams.set('state', query.get('state') ?? '');
    response.writeHead(302, { location: back.href });
    response.end();
  }

  async function token(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const form = await formOf(request);
    const basic = Buffer.from((request.headers.authorization ?? '').replace(/^Basic /, ''), 'base64').toString();
    const [id, secret] =
      request.headers.authorization === undefined ? [form.get('client_id'), form.get('client_secret')] : basic.split(':');
    if (id !== clientId || secret !== clientSecret) {
      answer(response, 401, { error: 'invalid_client' });
      return;
    }
    const code = form.get('code') ?? '';
    const grant = codes.get(code);
    codes.delete(code);
    const challenge = createHash('sha256')
      .update(form.get('code_verifier') ?? '')
      .digest('base64url');
    if (grant === undefined || grant.challenge !== challenge || grant.redirectUri !== form.get('redirect_uri')) {
      answer(response, 400, { error: 'invalid_grant' });
      return;
    }
    const { account, nonce } = grant;
    const now = Math.floor(Date.now() / 1000);
    const idToken = await new SignJWT({
      iss: url,
      aud: clientId,
      sub: account.sub,
      iat: now,
      exp: now + LASTS_SECONDS,
      email: account.email,
      email_verified: account.isVerified ?? true,
      name: account.name,
      ...(nonce === undefined ? {} : { nonce }),
      ...claims(),
    })
      .setProtectedHeader({ alg: ALGORITHM, kid })
      .sign(privateKey);
    answer(response, 200, {
      access_token: randomBytes(16).toString('hex'),
      token_type: 'Bearer',
      expires_in: LASTS_SECONDS,
      id_token: idToken,
    });
  }

  const server = createServer((request, response) => {
    const asked = new URL(request.url ?? '/', url);
    switch (asked.pathname) {
      case '/.well-known/openid-configuration':
        answer(response, 200, {
          issuer: url,
          authorization_endpoint: `${url}/authorize`,
          token_endpoint: `${url}/token`,
          jwks_uri: `${url}/keys`,
          response_types_supported: ['code'],
          subject_types_supported: ['public'],
          id_token_signing_alg_values_supported: [ALGORITHM],
          code_challenge_methods_supported: ['S256'],
        });
        return;
      case '/keys':
        void exportJWK(publicKey).then((jwk) => {
          answer(response, 200, { keys: [{ ...jwk, kid, alg: ALGORITHM, use: 'sig' }] });
        });
        return;
      case '/authorize':
        authorize(asked.searchParams, response);
        return;
      case '/token':
        void token(request, response);
        return;
      default:
        answer(response, 404, { error: 'not_found' });
    }
  });
  await new Promise<void>((done, failed) => {
    server.once('error', failed);
    server.listen(port, host, done);
  });
  url = `http://${host}:${(server.address() as AddressInfo).port}`;
  return {
    url,
    close: () =>
      new Promise((done) => {
        server.closeAllConnections();
        server.close(() => {
          done();
        });
      }),
  };
}
