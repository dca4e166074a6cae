import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { LRUCache } from 'lru-cache';
import { bareApp } from '../../kernel/bare-app.js';
import { isLocalName, networks, plainAddress } from '../../kernel/networks.js';
import { inThread, type Remote } from '../../kernel/thread.js';
import { refuseLink } from '../consent/thread.js';
import { JournalFile, type JournalEntry, type NewEntry } from './journal.js';
import { hitNotes } from './notes.js';
import { hitPages } from './pages.js';

/** Who is answered, as the configuration has it. */
export interface LinkRules {
  /** Names of the service, in small letters; undefined where every name is answered. Hosts of links are asked for. */
  readonly names: readonly string[] | undefined;
  /** Networks of proxies that are believed whom they speak for. */
  readonly trustProxy: readonly string[];
}

/** What the thread is given. */
export interface LinkThreadData {
  readonly host: string;
  readonly port: number;
  /** The journal. */
  readonly file: string;
  /** Its last place. */
  readonly last: number;
  readonly secret: Uint8Array;
  readonly rules: LinkRules;
}

/** What the thread reports to who started it. */
export interface LinkThreadOwner {
  readonly written: (entries: readonly JournalEntry[]) => void;
  readonly lost: (why: { readonly message: string; readonly code: string | undefined }) => void;
  /** Whether links of emails lead, or once led, to a host. */
  readonly isLinkHost: (host: string) => boolean;
}

/** The port, or why it cannot be had. */
export type Listening = { readonly port: number } | { readonly fault: { readonly message: string; readonly code: string | undefined } };

/** How long requests that are under way may take once the service stops, in milliseconds. */
const REQUESTS_MS = 5000;
/** A host that is no host of links may become one: it is asked for again after so long, in milliseconds. */
const UNKNOWN_MS = 5000;

/** Which hosts are answered. */
function hosts(remote: Remote, rules: () => LinkRules) {
  const known = new LRUCache<string, boolean>({ max: 1000 });
  return async (host: string): Promise<boolean> => {
    const { names } = rules();
    if (names === undefined || isLocalName(host) || names.includes(host)) return true;
    const before = known.get(host);
    if (before !== undefined) return before;
    const isKnown = await remote.call<boolean>('isLinkHost', host);
    // One that was a host of links once stays one.
    known.set(host, isKnown, isKnown ? {} : { ttl: UNKNOWN_MS });
    return isKnown;
  };
}

function listen(server: Server, { host, port }: LinkThreadData): Promise<Listening> {
  return new Promise((done) => {
    server.once('error', ({ message, code }: NodeJS.ErrnoException) => {
      done({ fault: { message, code } });
    });
    server.listen(port, host, () => {
      done({ port: (server.address() as AddressInfo).port });
    });
  });
}

/** Accepts no more requests, and waits for the others, but not longer than some seconds. */
async function closeServer(server: Server): Promise<void> {
  const closed = new Promise<void>((done) => {
    server.close(() => {
      done();
    });
  });
  server.closeIdleConnections();
  const limit = setTimeout(() => {
    server.closeAllConnections();
  }, REQUESTS_MS);
  await closed;
  clearTimeout(limit);
}

inThread((remote, data: LinkThreadData) => {
  const { file, last, secret } = data;
  let { rules } = data;
  let isProxy = networks(rules.trustProxy);
  let isClosing = false;
  const tell = (method: keyof LinkThreadOwner, input: unknown): void => void remote.call(method, input).catch(() => undefined);
  const journal = new JournalFile(file, last, (entries) => {
    tell('written', entries);
  });
  const note = hitNotes({
    secret,
    now: Date.now,
    append: (entry) => journal.append(entry),
    lost: (error) => {
      const { message, code } = error as NodeJS.ErrnoException;
      tell('lost', { message, code });
    },
  });
  const { go, image } = hitPages({ key: secret, note, refuse: refuseLink });
  const isAnswered = hosts(remote, () => rules);

  const app = bareApp();
  app.set('trust proxy', (address: string) => isProxy(plainAddress(address)));
  app.use(async (request, response, next) => {
    // A connection that is kept would keep the service from stopping.
    if (isClosing) response.set('Connection', 'close');
    if (await isAnswered(request.hostname.toLowerCase())) next();
    else refuseLink(request, response);
  });
  app.use('/go', go);
  app.use('/image', image);
  app.use(refuseLink);
  const server = createServer(app);

  return {
    listen: () => listen(server, data),
    rules: (changed: LinkRules) => {
      rules = changed;
      isProxy = networks(changed.trustProxy);
    },
    append: (entry: NewEntry) => journal.append(entry),
    clear: (place: number) => journal.clear(place),
    close: async () => {
      isClosing = true;
      await closeServer(server);
      journal.close();
    },
  };
});
