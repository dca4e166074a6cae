import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Express } from 'express';
import type { Logger } from 'pino';
import { bareApp, endStreams, problemHandler, Refusal } from '../kernel/index.js';

/** How long requests that are under way may take when what answers them is replaced, in milliseconds. */
const REQUESTS_MS = 5000;

/**
 * What stands between the socket and the application: the application can be replaced while the socket stays open. Requests that arrive
 * meanwhile wait for the new one.
 */
export class Front {
  #app: Express | undefined;
  #waiting: (() => void)[] = [];
  readonly #active = new Set<ServerResponse>();
  #idle: (() => void)[] = [];

  readonly handle = (request: IncomingMessage, response: ServerResponse): void => {
    // Its client went away while it waited: it would never close a second time, and be waited for with every change.
    if (response.closed) return;
    const app = this.#app;
    if (app === undefined) {
      this.#waiting.push(() => {
        this.handle(request, response);
      });
      return;
    }
    this.#active.add(response);
    response.once('close', () => {
      this.#active.delete(response);
      for (const look of this.#idle) look();
    });
    app(request, response);
  };

  open(app: Express): void {
    this.#app = app;
    for (const handle of this.#waiting.splice(0)) handle();
  }

  endStreams(): void {
    if (this.#app !== undefined) endStreams(this.#app);
  }

  /** Keeps new requests waiting, ends streams, and waits for the other requests, but not for long. @param except one that is not waited for @param mostMs how long, in milliseconds */
  async hold(except: ServerResponse | undefined, mostMs = REQUESTS_MS): Promise<void> {
    const app = this.#app;
    this.#app = undefined;
    if (app !== undefined) endStreams(app);
    const isIdle = (): boolean => [...this.#active].every((response) => response === except);
    if (isIdle()) return;
    let timer: NodeJS.Timeout | undefined;
    await new Promise<void>((resolve) => {
      timer = setTimeout(resolve, mostMs);
      this.#idle.push(() => {
        if (isIdle()) resolve();
      });
    });
    clearTimeout(timer);
    this.#idle = [];
  }
}

/** Answers while a node of a cluster has no part yet. */
export function startingApp(log: Logger): Express {
  const app = bareApp();
  app.get('/health/live', (_request, response) => {
    response.json({ live: true });
  });
  app.use(() => {
    throw new Refusal(503, 'node-starting', 'This node of the cluster is starting', { retryAfterSeconds: 5 });
  });
  app.use(problemHandler(log));
  return app;
}
