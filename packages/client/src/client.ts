import { caller, type Body, type CallOptions, type ClientOptions, type FollowOptions, type Query } from './call.js';
import {
  capturedMail,
  type CapturedFilter,
  type CapturedMail,
  type CapturedSummary,
  type CapturedView,
  type CapturedWaitFilter,
  type SimulatedOutcome,
} from './captured.js';
import { RefusedError } from './errors.js';
import type { components } from './generated/api.js';
import { ROUTES, type Methods } from './generated/methods.js';

type Schemas = components['schemas'];
export type NewMessage = Body<'messages.send'>;

/** Data of templates by name, as `verbalis types` writes it. Without it, any template takes any data. */
export type AnyTemplates = Record<string, Record<string, unknown>>;

/** An email that the app has made itself. */
export type ReadyMessage = Omit<NewMessage, 'template' | 'data'> & { template?: never; data?: never; subject: string };

/** A message whose data fits its template, or an email without one. Without types of templates: any. */
export type MessageOf<T> = string extends keyof T
  ? NewMessage
  : { [N in keyof T & string]: Omit<NewMessage, 'template' | 'data'> & { template: N; data: T[N] } }[keyof T & string] | ReadyMessage;

type Batch = Body<'messages.sendBatch'>;

/** Several messages, accepted together or each on its own; of one template, or each with its own. Without types of templates: any. */
export type BatchOf<T> = string extends keyof T
  ? Omit<Batch, 'mode'> & Partial<Pick<Batch, 'mode'>>
  : Partial<Pick<Batch, 'mode'>> &
      (
        | { template?: never; messages: MessageOf<T>[] }
        | {
            [N in keyof T & string]: {
              template: N;
              messages: (Omit<NewMessage, 'template' | 'data'> & { template?: never; data: T[N] })[];
            };
          }[keyof T & string]
      );

/** Data of signals by type, as `verbalis types` writes it. Without it, any type takes any data. */
export type AnySignals = Record<string, unknown>;

/** Attributes of a signal beside its type and data (CloudEvents 1.0). */
export interface SignalOptions extends Pick<CallOptions, 'signal'> {
  /** Stands, with `source`, for one signal, however often it is sent; made by the client when left out. */
  readonly id?: string;
  /** Which part of the app says so. */
  readonly source?: string;
  readonly subject?: string;
  /** When it happened; now, when left out. */
  readonly time?: Date | string;
}

/** How long one call waits for captured mail, in seconds; a call that is held longer is cut off by something on the way. */
const LONGEST_WAIT_S = 60;

/** A client without what is added by hand: every endpoint as a method. */
function methodsOf(method: ReturnType<typeof caller>['method']): Methods {
  const groups: Record<string, Record<string, unknown>> = {};
  for (const [id, route] of Object.entries(ROUTES)) {
    const [group = '', name = ''] = id.split('.');
    groups[group] = { ...groups[group], [name]: method(route) };
  }
  return groups as unknown as Methods;
}

/** Captured mail as tests want it. */
function captureTools({ captured }: Methods) {
  const read = (view: CapturedView): CapturedMail => capturedMail(view, captured);
  return {
    get: async (id: string): Promise<CapturedMail> => read(await captured.get(id)),
    /**
     * The newest email that matches, immediately or as soon as it arrives: the service holds the call until then, without polling.
     * Rejects with RefusedError when none arrived in time (10 seconds, when no timeout is given), naming what arrived instead.
     */
    waitFor: async (
      filter: CapturedWaitFilter,
      { timeout = 10_000, signal }: Pick<CallOptions, 'signal' | 'timeout'> = {},
    ): Promise<CapturedMail> => {
      const after = filter.after instanceof Date ? filter.after.toISOString() : filter.after;
      const end = performance.now() + timeout;
      for (;;) {
        const left = Math.max(0, end - performance.now());
        const seconds = Math.min(left / 1000, LONGEST_WAIT_S);
        try {
          return read(await captured.wait({ ...filter, after, seconds }, { signal }));
        } catch (error) {
          const isNothing = error instanceof RefusedError && error.problem.type.endsWith('nothing-captured');
          if (!isNothing || end - performance.now() <= 0) throw error;
        }
      }
    },
    /** Deletes captured mail: all of it, or what matches. @returns how many */
    clear: async (filter: CapturedFilter = {}): Promise<number> => (await captured.clear(filter)).removed,
    /** Simulates an outcome for a captured email, as if the other side had reported it. */
    simulate: async (
      mail: { readonly id: string },
      outcome: SimulatedOutcome,
      more: Omit<Body<'captured.simulate'>, 'outcome'> = {},
    ): Promise<void> => {
      await captured.simulate(mail.id, { outcome, ...more });
    },
    /** Captured mail as it arrives. */
    follow: async function* (options: FollowOptions = {}): AsyncGenerator<CapturedSummary> {
      for await (const { event, data } of captured.follow(options)) if (event === 'captured') yield data as CapturedSummary;
    },
  };
}

export type Client<T extends object = AnyTemplates, S extends object = AnySignals> = ReturnType<typeof createClient<T, S>>;

/** A typed client of the service's HTTP interface. Its methods reject with RefusedError or UnreachableError. */
export function createClient<T extends object = AnyTemplates, S extends object = AnySignals>(options: ClientOptions) {
  const { method, readiness } = caller(options);
  const methods = methodsOf(method);
  const { messages, captured, events, signals } = methods;
  return {
    ...methods,
    messages: {
      ...messages,
      /** Accepts a message. Resolves when it is on the service's disk. */
      send: (message: MessageOf<NoInfer<T>>, more?: CallOptions): Promise<Schemas['MessageSummary']> =>
        messages.send(message as NewMessage, more),
      /** Accepts up to 1,000 messages. The answer has a result for each, in their order. */
      sendBatch: (batch: BatchOf<NoInfer<T>>, more?: CallOptions): Promise<Schemas['Batch']> => messages.sendBatch(batch, more),
    },
    /** Says what has happened; the rules of the mail folder say which emails follow. Resolves when it is on the service's disk. */
    signal: async <N extends keyof S & string>(
      type: N,
      data: NoInfer<S[N]>,
      { id = crypto.randomUUID(), source, subject, time, signal }: SignalOptions = {},
    ): Promise<Schemas['SignalsTaken']['signals'][number]> => {
      const at = time instanceof Date ? time.toISOString() : time;
      const body = new Blob([JSON.stringify({ specversion: '1.0', id, source, type, subject, time: at, data })], {
        type: 'application/cloudevents+json',
      });
      const { signals: taken } = await signals.take(body, { signal });
      return taken[0] as Schemas['SignalsTaken']['signals'][number];
    },
    captured: { ...captured, ...captureTools(methods) },
    events: {
      ...events,
      /** Events as they happen; after the last one seen, where that is given. */
      follow: async function* (query: Query<'events.follow'> = {}, more: FollowOptions = {}): AsyncGenerator<Schemas['CloudEvent']> {
        for await (const { event, data } of events.follow(query, more)) if (event === 'event') yield data as Schemas['CloudEvent'];
      },
    },
    readiness,
    /** Whether the service takes work; false where none answers. */
    isReady: async (): Promise<boolean> => {
      try {
        return (await readiness()).ready;
      } catch {
        return false;
      }
    },
  };
}
