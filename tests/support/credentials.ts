import { nkeys } from '@nats-io/transport-node';

/** What brokers and a client need that know each other by signed claims (decentralised JWT of NATS). */
export interface IssuedCredentials {
  /** For the configuration of the brokers. */
  readonly brokers: string;
  /** A credentials file. */
  readonly file: string;
  /** The same of a user whom another account has signed. */
  readonly stranger: string;
}

type Pair = ReturnType<typeof nkeys.createUser>;

const UNLIMITED = { subs: -1, data: -1, payload: -1, imports: -1, exports: -1, wildcards: true, conn: -1, leaf: -1 };
const STORED = { mem_storage: -1, disk_storage: -1, streams: -1, consumer: -1 };
const part = (value: unknown): string => Buffer.from(JSON.stringify(value)).toString('base64url');

function claim(by: Pair, of: Pair, name: string, nats: Readonly<Record<string, unknown>>): string {
  const body = { jti: name, iat: 1_764_374_400, iss: by.getPublicKey(), name, sub: of.getPublicKey(), nats: { ...nats, version: 2 } };
  const signed = `${part({ typ: 'JWT', alg: 'ed25519-nkey' })}.${part(body)}`;
  return `${signed}.${Buffer.from(by.sign(Buffer.from(signed))).toString('base64url')}`;
}

function fileOf(account: Pair): string {
  const user = nkeys.createUser();
  const jwt = claim(account, user, 'verbalis', { type: 'user', pub: {}, sub: {}, subs: -1, data: -1, payload: -1 });
  return `-----BEGIN NATS USER JWT-----\n${jwt}\n------END NATS USER JWT------\n\n-----BEGIN USER NKEY SEED-----\n${Buffer.from(user.getSeed()).toString()}\n------END USER NKEY SEED------\n`;
}

/** An operator with one account, and a user of it. */
export function issueCredentials(): IssuedCredentials {
  const [operator, account, system] = [nkeys.createOperator(), nkeys.createAccount(), nkeys.createAccount()];
  const accountClaim = (of: Pair, name: string, more = {}): string =>
    claim(operator, of, name, { type: 'account', limits: { ...UNLIMITED, ...more } });
  return {
    brokers: `operator: ${claim(operator, operator, 'operator', { type: 'operator' })}
system_account: ${system.getPublicKey()}
resolver: MEMORY
resolver_preload: { ${account.getPublicKey()}: ${accountClaim(account, 'harbour', STORED)}, ${system.getPublicKey()}: ${accountClaim(system, 'system')} }`,
    file: fileOf(account),
    stranger: fileOf(nkeys.createAccount()),
  };
}
