import type { TokenRequest } from '@verbalis/core/profile';
import {
  allowInsecureRequests,
  clientCredentialsGrantRequest,
  ClientSecretBasic,
  ClientSecretPost,
  customFetch,
  processClientCredentialsResponse,
  ResponseBodyError,
  type CustomFetchOptions,
} from 'oauth4webapi';
import type { HttpConnections } from '../../kernel/index.js';

/** An access token of a provider (RFC 6749 4.4): fetched once for all callers, cached, and renewed before it expires. */
export interface TokenSource {
  /** @throws Error that says why there is none */
  readonly get: () => Promise<string>;
  /** The provider has refused it. */
  readonly drop: (token: string) => void;
}

export interface TokenOptions {
  readonly connections: HttpConnections;
  readonly waitMs: number;
  /** Monotonic, in milliseconds. */
  readonly elapsed: () => number;
}

/** A token without an expiry is renewed after this, in seconds. */
const USUAL_SECONDS = 3600;
/** The part of its lifetime before its end in which a token is renewed. */
const EARLY = 0.1;

export function tokenSource(request: TokenRequest, { connections, waitMs, elapsed }: TokenOptions): TokenSource {
  const { tokenUrl, clientId, clientSecret, scope, audience, sendsAs } = request;
  const { origin } = new URL(tokenUrl);
  const server = { issuer: origin, token_endpoint: tokenUrl };
  const client = { client_id: clientId };
  let kept: { readonly token: string; readonly until: number } | undefined;
  let underWay: Promise<string> | undefined;

  async function fetchToken(): Promise<string> {
    const parameters: Record<string, string> = {
      ...(scope === undefined ? {} : { scope }),
      ...(audience === undefined ? {} : { audience }),
    };
    const options = {
      // The configuration names the address, also where it has no TLS: a provider on this machine.
      // oxlint-disable-next-line typescript/no-deprecated -- the mark is a warning; there is no other way.
      [allowInsecureRequests]: true,
      [customFetch]: (url: string, init: CustomFetchOptions<'POST', URLSearchParams>) =>
        connections.fetch(url, init) as unknown as Promise<Response>,
      signal: AbortSignal.timeout(waitMs),
    };
    const authentication = sendsAs === 'basic' ? ClientSecretBasic(clientSecret) : ClientSecretPost(clientSecret);
    try {
      const response = await clientCredentialsGrantRequest(server, client, authentication, parameters, options);
      const { access_token: token, expires_in: seconds = USUAL_SECONDS } = await processClientCredentialsResponse(server, client, response);
      kept = { token, until: elapsed() + seconds * 1000 * (1 - EARLY) };
      return token;
    } catch (error) {
      const { message, cause } = error as Error & { readonly cause?: { readonly code?: string } };
      const why = error instanceof ResponseBodyError ? `${error.status} ${error.error}` : (cause?.code ?? message);
      throw new Error(`No access token from ${origin}: ${why}.`);
    }
  }

  return {
    get: () => {
      if (kept !== undefined && elapsed() < kept.until) return Promise.resolve(kept.token);
      underWay ??= fetchToken().finally(() => {
        underWay = undefined;
      });
      return underWay;
    },
    drop: (token) => {
      if (kept?.token === token) kept = undefined;
    },
  };
}
