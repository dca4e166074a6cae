import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { exportJWK, generateKeyPair, SignJWT, type CryptoKey } from 'jose';

/** Who issues tokens to people that are signed in: a stand-in with keys of its own. */
export interface Issuer {
  readonly url: string;
  readonly jwksUrl: string;
  /** How often its keys were asked for. */
  readonly asked: () => number;
  /** A token; what is given is laid over the usual claims. */
  readonly token: (
    claims?: Readonly<Record<string, unknown>>,
    how?: { readonly key?: CryptoKey | Uint8Array; readonly alg?: string; readonly kid?: string },
  ) => Promise<string>;
  /** Signs with another key from now on. */
  readonly rotate: () => Promise<void>;
  readonly close: () => Promise<void>;
}

export async function startIssuer(now: () => number, algorithm = 'ES256'): Promise<Issuer> {
  let n = 0;
  let asked = 0;
  const make = async () => ({ ...(await generateKeyPair(algorithm)), kid: `key-${(n += 1)}` });
  let current = await make();
  const server = createServer((_request, response) => {
    asked += 1;
    void exportJWK(current.publicKey).then((jwk) => {
      response.setHeader('content-type', 'application/json');
      response.end(JSON.stringify({ keys: [{ ...jwk, kid: current.kid, alg: algorithm, use: 'sig' }] }));
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  return {
    url,
    jwksUrl: `${url}/keys`,
    asked: () => asked,
    token(claims = {}, { key = current.privateKey, alg = algorithm, kid = current.kid } = {}) {
      const seconds = Math.floor(now() / 1000);
      return new SignJWT({
        iss: url,
        aud: 'ferry-app',
        sub: 'asa',
        iat: seconds,
        exp: seconds + 300,
        email: 'asa@post.example',
        email_verified: true,
        ...claims,
      })
        .setProtectedHeader({ alg, kid })
        .sign(key);
    },
    async rotate() {
      current = await make();
    },
    close: () =>
      new Promise((done) => {
        server.closeAllConnections();
        server.close(() => {
          done();
        });
      }),
  };
}
