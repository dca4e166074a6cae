import { createHmac } from 'node:crypto';

/** What a server knows us by: a password, or a token that was given out for a time (RFC 6750). */
export type Credentials = { readonly user: string; readonly password: string } | { readonly user: string; readonly token: string };

/** One way to prove who we are (RFC 4954): the first words, and an answer to each challenge. */
export interface Mechanism {
  readonly name: string;
  /** Sent with the AUTH command; absent where the server speaks first. */
  readonly initial: string | undefined;
  /** The answer to a challenge, both without base64; undefined when there is none. */
  readonly answer: (challenge: Buffer, turn: number) => string | undefined;
}

function plain(user: string, password: string): Mechanism {
  return { name: 'PLAIN', initial: `\0${user}\0${password}`, answer: () => undefined };
}

function login(user: string, password: string): Mechanism {
  return { name: 'LOGIN', initial: undefined, answer: (_challenge, turn) => [user, password][turn] };
}

/** RFC 2195: the password itself does not travel. */
function cramMd5(user: string, password: string): Mechanism {
  return {
    name: 'CRAM-MD5',
    initial: undefined,
    answer: (challenge, turn) => (turn === 0 ? `${user} ${createHmac('md5', password).update(challenge).digest('hex')}` : undefined),
  };
}

/** RFC 7628: a refusal comes as a challenge, which is answered by one sign before the server says so. */
function oauthBearer(user: string, token: string): Mechanism {
  const name = user.replaceAll('=', '=3D').replaceAll(',', '=2C');
  return { name: 'OAUTHBEARER', initial: `n,a=${name},\u0001auth=Bearer ${token}\u0001\u0001`, answer: () => '\u0001' };
}

function xoauth2(user: string, token: string): Mechanism {
  return { name: 'XOAUTH2', initial: `user=${user}\u0001auth=Bearer ${token}\u0001\u0001`, answer: () => '' };
}

/** The best way that the server offers; undefined if we may use none of them. */
export function chooseMechanism(
  offered: readonly string[],
  credentials: Credentials,
  { secure }: { readonly secure: boolean },
): Mechanism | undefined {
  const { user } = credentials;
  // Over an open line only what does not give the password away.
  const ways =
    'token' in credentials
      ? secure
        ? [oauthBearer(user, credentials.token), xoauth2(user, credentials.token)]
        : []
      : secure
        ? [plain(user, credentials.password), login(user, credentials.password), cramMd5(user, credentials.password)]
        : [cramMd5(user, credentials.password)];
  return ways.find((way) => offered.includes(way.name));
}
