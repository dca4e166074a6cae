import cors from 'cors';
import type { RequestHandler } from 'express';
import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import type { Acceptor } from '../messages/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import { permitEndpoints } from './endpoints.js';
import { identityReader } from './identity.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly editions: Editions;
  readonly accept: Acceptor;
  readonly spaces: SpaceSettings;
}

export interface Permits {
  readonly feature: Feature;
  /** Answers what browsers ask before they ask for an email, and lets their pages read the answers (CORS, Fetch standard). */
  readonly cors: RequestHandler;
}

/** How long a browser may keep what it was answered, in seconds. */
const KEPT_SECONDS = 600;

/** Permits: emails that a browser may ask for. */
export function openPermits({ clock, ages }: Runtime, { store, editions, accept, spaces }: Options): Permits {
  const readers = new Map(
    Object.entries(spaces).flatMap(([space, { browser }]) =>
      browser.identity === undefined ? [] : [[space, identityReader(browser.identity, clock)] as const],
    ),
  );
  const isOriginOf = (space: string, origin: string): boolean => spaces[space]?.browser.origins.includes(origin) === true;
  // Before the request itself nobody knows of which space its permit is: any space that names the origin will do, and the endpoint looks again.
  const isKnown = (origin: string | undefined): boolean =>
    origin !== undefined && Object.keys(spaces).some((space) => isOriginOf(space, origin));
  return {
    feature: {
      name: 'permits',
      endpoints: serve(permitEndpoints, {
        store,
        clock,
        accept,
        current: (space) => editions.current(space),
        isOriginOf,
        identityOf: (space) => readers.get(space),
      }),
      retention: [{ name: 'permits', step: (tx, now) => store.permits.forget(tx, now - ages.bytes) }],
    },
    cors: cors({
      origin: (origin, done) => {
        done(null, isKnown(origin));
      },
      methods: ['POST'],
      allowedHeaders: ['Content-Type', 'Idempotency-Key'],
      maxAge: KEPT_SECONDS,
    }),
  };
}
