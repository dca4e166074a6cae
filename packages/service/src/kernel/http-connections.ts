import type undici from 'undici';
import type { Agent, Dispatcher, RequestInit, Response } from 'undici';

type Library = typeof undici;
type RequestOptions = Omit<NonNullable<Parameters<Library['request']>[1]>, 'dispatcher'>;

/** Connections to HTTP servers that are kept between requests. */
export interface HttpConnections {
  /** @throws what the library throws: no connection, no answer in time, the reason of the signal */
  readonly request: (url: string | URL, options: RequestOptions) => Promise<Dispatcher.ResponseData<unknown>>;
  /** The same as the Fetch standard has it. */
  readonly fetch: (url: string | URL, init: RequestInit) => Promise<Response>;
  /** Ends them when what is under way has ended. */
  readonly close: () => Promise<void>;
  /** Ends them, and what is under way. */
  readonly destroy: () => Promise<void>;
}

/**
 * Connections as `make` opens them, with the first request: the library is a megabyte of code that a service which sends by SMTP alone does not
 * need.
 */
export function httpConnections(make: (library: Library) => Agent): HttpConnections {
  let opened: Promise<{ readonly library: Library; readonly agent: Agent }> | undefined;
  let isClosed = false;
  const load = async () => {
    try {
      const { default: library } = await import('undici');
      return { library, agent: make(library) };
    } catch (error) {
      // The next request tries again.
      opened = undefined;
      throw error;
    }
  };
  const open = () => {
    if (isClosed) throw new Error('These connections are closed.');
    return (opened ??= load());
  };
  /** What there is to end; nothing where opening failed. */
  const ending = async (): Promise<Agent | undefined> => {
    isClosed = true;
    return opened?.then(
      ({ agent }) => agent,
      () => undefined,
    );
  };
  return {
    async request(url, options) {
      const { library, agent } = await open();
      return library.request(url, { ...options, dispatcher: agent });
    },
    async fetch(url, init) {
      const { library, agent } = await open();
      return library.fetch(url, { ...init, dispatcher: agent });
    },
    async close() {
      await (await ending())?.close();
    },
    async destroy() {
      await (await ending())?.destroy();
    },
  };
}
