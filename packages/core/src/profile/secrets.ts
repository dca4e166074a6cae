import { checkComposition, compose, readComposition, type PieceOf } from './composition.js';
import type { ProfileFaults } from './faults.js';
import type { Callbacks } from './schema-callbacks.js';

export type Secrets = Readonly<Record<string, string>>;

/** Where something is in a profile, and what is wrong with it. */
export interface Place {
  readonly path: string;
  readonly faults: ProfileFaults;
}

/** Secrets as pieces of compositions: "secrets.NAME". */
export function secretPiece(secrets: Secrets): PieceOf {
  return (name) => (name.startsWith('secrets.') && Object.hasOwn(secrets, name.slice(8)) ? secrets[name.slice(8)] : undefined);
}

/** A value that may name secrets, with these put in. */
export function readSecretText(text: string, secrets: Secrets, { path, faults }: Place): string {
  checkComposition(text, { names: Object.keys(secrets).map((name) => `secrets.${name}`) }, { path, faults });
  return compose(readComposition(text), secretPiece(secrets)).toString('utf8');
}

/** Settings of a signature that may name secrets. */
const OF_SIGNATURE = ['secret', 'value', 'user', 'password', 'publicKey'];

/** Callbacks with their secrets put in. */
export function withSecrets(callbacks: Callbacks, secrets: Secrets, faults: ProfileFaults): Callbacks {
  const filled = <T extends object>(settings: T, path: string): T =>
    Object.fromEntries(
      Object.entries(settings).map(([name, value]: [string, unknown]) => {
        if (typeof value === 'string' && OF_SIGNATURE.includes(name))
          return [name, readSecretText(value, secrets, { path: `${path}.${name}`, faults })];
        return [name, name === 'secrets' && typeof value === 'object' && value !== null ? filledAll(value, `${path}.secrets`) : value];
      }),
    ) as T;
  const filledAll = (values: object, path: string): object =>
    Object.fromEntries(
      Object.entries(values).map(([name, value]) => [name, readSecretText(String(value), secrets, { path: `${path}.${name}`, faults })]),
    );
  return {
    ...callbacks,
    signature: filled(callbacks.signature, 'callbacks.signature'),
    handshakes: callbacks.handshakes.map((handshake, i) => filled(handshake, `callbacks.handshakes.${i}`)),
  };
}
