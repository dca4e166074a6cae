import type { Logger } from 'pino';
import { portFault, startThread, threadFile, ThreadFault, type Thread } from '../../kernel/index.js';
import { CURSOR, readJournal } from './backlog.js';
import type { Journal } from './journal.js';
import type { Store } from './store.js';
import type { LinkRules, LinkThreadData, LinkThreadOwner, Listening } from './links-thread.js';

/** Who hears of what comes in. */
export interface LinkOwner extends LinkThreadOwner {
  readonly rules: LinkRules;
  /** The thread ended and was started again: the journal may have entries that were never reported. */
  readonly missed: () => void;
}

/** A listener for links of emails alone, with the journal, in a thread of its own. */
export interface LinkListener {
  readonly port: number;
  readonly journal: Journal;
  readonly isListening: () => boolean;
  /** Who hears of it from now on; until then it is in the journal only. */
  readonly serve: (owner: LinkOwner) => void;
  readonly close: () => Promise<void>;
}

interface Options {
  readonly host: string;
  readonly port: number;
  readonly log: Logger;
  /** The journal. */
  readonly file: string;
  readonly store: Store;
  readonly secret: Uint8Array;
  readonly rules: LinkRules;
}

const MEMORY_MB = 256;
/** How long after its end a thread is started again, in milliseconds. */
const AGAIN_MS = 200;
/** A thread that does not end is ended after so long, in milliseconds: longer than requests that are under way are waited for. */
const CLOSE_MS = 8000;
const NAME = 'links';

/**
 * Starts the thread. Links are then answered however busy the service is, also while its configuration is read again. A thread that ends is
 * started again at the same port. @throws StartError when the port cannot be had
 */
export async function openLinkListener({ host, port, log, file, store, secret, ...options }: Options): Promise<LinkListener> {
  let { rules } = options;
  let owner: LinkOwner | undefined;
  let thread: Thread | undefined;
  let isClosing = false;
  let again: NodeJS.Timeout | undefined;
  let actual = port;

  const methods: { readonly [Method in keyof LinkThreadOwner]: LinkThreadOwner[Method] } = {
    written: (entries) => owner?.written(entries),
    lost: (why) => owner?.lost(why),
    isLinkHost: (name) => owner?.isLinkHost(name) ?? false,
  };
  /** Where the next entry stands, whatever a thread before has written. */
  const last = (): number =>
    Math.max(
      store.events.cursor(CURSOR),
      ...readJournal(file, () => undefined)
        .slice(-1)
        .map(({ n }) => n),
    );

  async function start(): Promise<Listening> {
    const data: LinkThreadData = { host, port: actual, file, last: last(), secret, rules };
    const started = startThread(threadFile(import.meta.url, 'links-thread.js'), {
      name: NAME,
      data,
      methods,
      memoryMb: MEMORY_MB,
      ended: (why) => {
        if (thread !== started) return;
        thread = undefined;
        if (isClosing) return;
        log.error({ listener: NAME }, `${why} It is started again.`);
        restart();
      },
    });
    const listening = await started.call<Listening>('listen', {});
    if ('fault' in listening) {
      await started.terminate();
      return listening;
    }
    if (isClosing) {
      await started.terminate();
      return listening;
    }
    thread = started;
    actual = listening.port;
    owner?.missed();
    // What changed meanwhile.
    if (data.rules !== rules) await started.call('rules', rules);
    return listening;
  }
  function restart(): void {
    again = setTimeout(() => {
      start()
        .then((listening) => {
          if ('fault' in listening) throw new Error(listening.fault.message);
        })
        .catch((error: unknown) => {
          log.error({ err: error, listener: NAME }, 'the listener could not be started again');
          if (!isClosing) restart();
        });
    }, AGAIN_MS);
  }
  const call = <T>(method: string, input: unknown): Promise<T> =>
    thread?.call<T>(method, input) ?? Promise.reject(new ThreadFault(`The thread "${NAME}" has ended.`));

  const first = await start();
  if ('fault' in first)
    throw portFault(Object.assign(new Error(first.fault.message), first.fault), {
      host,
      port,
      setting: 'links.port (VERBALIS_LINKS_PORT)',
    });
  return {
    port: first.port,
    journal: {
      append: (entry) => call('append', entry),
      clear: (place) => call('clear', place),
      close: () => undefined,
    },
    isListening: () => thread !== undefined,
    serve: (next) => {
      owner = next;
      ({ rules } = next);
      call('rules', rules).catch(() => undefined);
    },
    close: async () => {
      isClosing = true;
      clearTimeout(again);
      const own = thread;
      const closed = own?.call('close', {}).catch(() => undefined);
      await Promise.race([closed, new Promise((late) => setTimeout(late, CLOSE_MS).unref())]);
      thread = undefined;
      await own?.terminate();
    },
  };
}
