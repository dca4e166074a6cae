import type { Request, Response } from 'express';
import { completeAct, newId, plainAddress, type Clock, type Tx } from '../../kernel/index.js';
import { OPERATOR } from '../keys/index.js';
import { actorOf, SESSION_COOKIE, sessionOf } from './access.js';
import { newSecret, type PersonRow, type SessionRow } from './queries.js';
import type { Store } from './store.js';

const HOUR = 3_600_000;
/** How long a session lasts that is used: of a person, and with the operator's secret. In milliseconds. */
const [PERSON_MS, OPERATOR_MS] = [14 * 24 * HOUR, 12 * HOUR];
const LONGEST_AGENT = 300;

export interface SessionOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly publicUrl: string | undefined;
}

interface Opening {
  /** Undefined: with the operator's secret. */
  readonly person: PersonRow | undefined;
  readonly way: SessionRow['way'];
  /** Written with it; what throws here keeps the session from being opened. */
  readonly also?: (tx: Tx) => void;
}

/** Opens a session and gives the browser its cookie; the session that the browser had before ends. */
export async function openSession(
  deps: SessionOptions,
  { request, response }: { readonly request: Request; readonly response: Response },
  { person, way, also }: Opening,
): Promise<void> {
  const { store, clock, publicUrl } = deps;
  const now = clock.now();
  const before = sessionOf(request, deps);
  const lastsMs = person === undefined ? OPERATOR_MS : PERSON_MS;
  const id = newId('z', now);
  const secret = newSecret();
  completeAct({ actor: person === undefined ? OPERATOR : actorOf(person), target: id, change: { way } });
  await store.write((tx) => {
    also?.(tx);
    if (before !== undefined) store.people.close(tx, before.id);
    const row = {
      id,
      kind: 'session' as const,
      personId: person?.id ?? null,
      way,
      createdAt: now,
      expiresAt: now + lastsMs,
      address: plainAddress(request.ip ?? ''),
      agent: (request.headers['user-agent'] ?? '').slice(0, LONGEST_AGENT),
    };
    store.people.open(tx, row, secret);
    if (person !== undefined) store.people.change(tx, person.id, { lastSignInAt: now });
  });
  // A proxy that is trusted says that people come over TLS; so does the public address.
  const secure = request.secure || publicUrl?.startsWith('https:') === true;
  response.cookie(SESSION_COOKIE, secret, { httpOnly: true, sameSite: 'strict', secure, path: '/', maxAge: lastsMs });
}
