import type { Express, Request, Response } from 'express';

/** One message of a stream of server-sent events. */
export interface StreamMessage {
  readonly id?: string | number;
  readonly event: string;
  readonly data: unknown;
}

/** Between signs of life, so that nothing on the way takes the line for dead, in milliseconds. */
const SIGN_OF_LIFE_MS = 15_000;
/** What may stand in memory for a reader that is too slow, in bytes; it is cut off then and comes again with the last id it has seen. */
const MOST_WAITING = 4 * 1024 * 1024;

export interface OpenStream {
  /** @returns whether the reader still keeps up */
  readonly send: (message: StreamMessage) => boolean;
  readonly closed: () => boolean;
  readonly onClose: (run: () => void) => void;
}

/** Streams that are open, by the application that serves them. */
const openStreams = new WeakMap<object, Set<() => void>>();

/** Ends all streams of an application, so that it can stop. */
export function endStreams(app: Express): void {
  for (const end of [...(openStreams.get(app) ?? [])]) end();
}

/** Begins a stream of server-sent events (HTML Living Standard, section 9.2). */
export function openStream(request: Request, response: Response): OpenStream {
  let closed = false;
  const ends: (() => void)[] = [];
  response.status(200).set({
    'Content-Type': 'text/event-stream; charset=utf-8',
    'Cache-Control': 'no-store',
    'X-Accel-Buffering': 'no',
  });
  response.flushHeaders();
  response.write(': open\n\n');
  const timer = setInterval(() => response.write(': here\n\n'), SIGN_OF_LIFE_MS).unref();
  const end = (): void => {
    if (closed) return;
    closed = true;
    clearInterval(timer);
    streams.delete(finish);
    for (const run of ends) run();
  };
  const streams = openStreams.get(request.app) ?? new Set();
  openStreams.set(request.app, streams);
  const finish = (): void => {
    end();
    response.end();
  };
  streams.add(finish);
  request.on('close', end);
  response.on('close', end);
  response.on('error', end);
  return {
    send: ({ id, event, data }) => {
      if (closed) return false;
      response.write(`${id === undefined ? '' : `id: ${id}\n`}event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
      if (response.writableLength <= MOST_WAITING) return true;
      response.destroy();
      return false;
    },
    closed: () => closed,
    onClose: (run) => {
      ends.push(run);
    },
  };
}
