import type { Express, Request, Response } from 'express';
import type { Caller } from './access.js';
import { Refusal } from './refusal.js';

/** One message of a stream of server-sent events. */
export interface StreamMessage {
  readonly id?: string | number;
  readonly event: string;
  readonly data: unknown;
}

/** Between signs of life, so that nothing on the way takes the line for dead, in milliseconds. */
const SIGN_OF_LIFE_MS = 15_000;
/** Kept in memory for a reader that is too slow, in bytes. Past it the connection is closed; the reader comes again with its last id. */
const MOST_WAITING = 4 * 1024 * 1024;
/** Between looks whether the caller would still be let in, in milliseconds. */
const LOOK_MS = 1000;

export interface OpenStream {
  /** @returns whether the reader still keeps up */
  readonly send: (message: StreamMessage) => boolean;
  readonly closed: () => boolean;
  readonly onClose: (run: () => void) => void;
}

/** How many streams may be open at once. */
export interface StreamLimits {
  readonly perKey: number;
  /** Of all keys together; and as many of operators. */
  readonly all: number;
}

/** What ends each stream that is open, by who has it. */
type OpenByCaller = Map<string, Set<() => void>>;
/** By the application that serves them. */
const openStreams = new WeakMap<object, OpenByCaller>();
const limitsOf = new WeakMap<object, StreamLimits>();
const OPERATORS = 'operators';

/** How many streams an application serves at once. */
export function limitStreams(app: Express, limits: StreamLimits): void {
  limitsOf.set(app, limits);
}

/** @throws Refusal 429 when the caller, or all together, have as many streams open as they may */
function refuseMany(open: OpenByCaller, who: string, limits: StreamLimits | undefined): void {
  if (limits === undefined) return;
  const own = open.get(who)?.size ?? 0;
  const ofKeys = [...open].reduce((sum, [name, streams]) => sum + (name === OPERATORS ? 0 : streams.size), 0);
  const isOver = who !== OPERATORS && own >= limits.perKey;
  if (!isOver && (who === OPERATORS ? own : ofKeys) < limits.all) return;
  throw new Refusal(429, 'too-many-streams', 'Too many streams are open', {
    detail: isOver ? `This key has ${own} open, as many as a key may have.` : `${limits.all} are open, as many as the service allows.`,
    hint: `Close one first, or raise limits.streams.${isOver ? 'perKey' : 'all'}.`,
    retryAfterSeconds: SIGN_OF_LIFE_MS / 1000,
  });
}

/** Ends all streams of an application, so that it can stop. */
export function endStreams(app: Express): void {
  const open: OpenByCaller = openStreams.get(app) ?? new Map<string, Set<() => void>>();
  for (const end of [...open.values()].flatMap((streams) => [...streams])) end();
}

/** What a stream belongs to: a request that was let in. */
export interface StreamCall {
  readonly caller: Caller;
  readonly request: Request;
  readonly response: Response;
}

/** Begins a stream of server-sent events (HTML Living Standard, section 9.2). @throws Refusal 429 when there are too many */
export function openStream({ caller, request, response }: StreamCall): OpenStream {
  const { app } = request;
  const open: OpenByCaller = openStreams.get(app) ?? new Map<string, Set<() => void>>();
  openStreams.set(app, open);
  const who = caller.key?.id ?? OPERATORS;
  refuseMany(open, who, limitsOf.get(app));
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
    clearInterval(look);
    streams.delete(finish);
    if (streams.size === 0) open.delete(who);
    for (const run of ends) run();
  };
  const streams = open.get(who) ?? new Set();
  open.set(who, streams);
  const finish = (): void => {
    end();
    response.end();
  };
  streams.add(finish);
  const { isStillGood } = caller;
  // Nobody asks again while a stream is open, so it is asked here: for a key that was revoked, a session that has ended.
  const look = setInterval(() => {
    if (isStillGood?.() === false) finish();
  }, LOOK_MS).unref();
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
