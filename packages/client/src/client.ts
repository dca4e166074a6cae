import type { components, paths } from './api.js';
import {
  capturedMail,
  type CapturedFilter,
  type CapturedList,
  type CapturedListFilter,
  type CapturedMail,
  type CapturedSummary,
  type CapturedView,
  type CapturedWaitFilter,
  type Fate,
  type Cause,
} from './captured.js';
import { eventsOf, type StreamEvent } from './stream.js';
import { RefusedError, UnreachableError, type ProblemBody } from './errors.js';

type Schemas = components['schemas'];
export type NewMessage = paths['/v1/messages']['post']['requestBody']['content']['application/json'];
export type MessageSummary = Schemas['MessageSummary'];
export type Message = Schemas['Message'];
export type Delivery = Schemas['Delivery'];
export type Mail = Schemas['Mail'];
export type MessageList = Schemas['MessageList'];
export type KeyMade = Schemas['KeyMade'];
export type NewKey = Schemas['NewKey'];
export type State = Schemas['State'];
export type ListFilter = NonNullable<paths['/v1/messages']['get']['parameters']['query']>;
export type TemplateList = Schemas['TemplateList'];
export type TemplateSummary = Schemas['TemplateSummary'];
export type TemplateDetail = Schemas['TemplateDetail'];
export type Rendered = Schemas['Rendered'];
export type RenderWanted = Schemas['RenderWanted'];
export type SourceProblem = Schemas['SourceProblem'];
export type SpaceView = Schemas['Space'];
export type Upload = Schemas['Upload'];
export type ProviderReport = Schemas['ProviderReport'];
export type DomainView = Schemas['Domain'];
export type ReturnView = Schemas['Return'];
export type SuppressionView = Schemas['Suppression'];
export type ReturnFilter = NonNullable<paths['/v1/returns']['get']['parameters']['query']>;
export type SuppressionFilter = NonNullable<paths['/v1/suppressions']['get']['parameters']['query']>;

export type CloudEvent = Schemas['CloudEvent'];
export type Subscription = Schemas['Subscription'];
/** What is left out has its usual value. */
export type NewSubscription = Pick<Schemas['NewSubscription'], 'url'> & Partial<Schemas['NewSubscription']>;
export type NotificationView = Schemas['Notification'];
export type FiguresView = Schemas['Figures'];
export type CountsView = Schemas['Counts'];
export type AlertView = Schemas['Alert'];
export type QuarantinedItem = Schemas['QuarantinedItem'];
export type AlertRule = Schemas['AlertRule'];
export type NewAlertRule = Partial<Schemas['NewAlertRule']>;
export type EventsFilter = NonNullable<paths['/v1/events']['get']['parameters']['query']>;
export type NotificationsFilter = NonNullable<paths['/v1/subscriptions/{id}/notifications']['get']['parameters']['query']>;
export type FiguresWanted = NonNullable<paths['/v1/figures']['get']['parameters']['query']>;

export interface ClientOptions {
  /** Where the service is: http://127.0.0.1:8620 */
  readonly url: string;
  /** A key of a space, or the operator's secret; the console has neither, but a session. */
  readonly key?: string | undefined;
  /** The space, for those who are not bound to one by their key. */
  readonly space?: string | undefined;
  /** Tries of a request that is safe to repeat, the first one included. */
  readonly tries?: number;
  readonly headers?: Readonly<Record<string, string>>;
  readonly fetch?: typeof fetch;
}

export interface SendOptions {
  /** Made by the client when left out, so that its own retries never send twice. */
  readonly idempotencyKey?: string;
}

/** Data of templates by name, as `verbalis types` writes it. Without it, any template takes any data. */
export type AnyTemplates = Record<string, Record<string, unknown>>;

/** A mail that the app has made itself. */
export type ReadyMessage = Omit<NewMessage, 'template' | 'data'> & { template?: never; data?: never; subject: string };

/** A message whose data fits its template, or a mail without one. Without types of templates: any. */
export type MessageOf<T> = string extends keyof T
  ? NewMessage
  : { [N in keyof T & string]: Omit<NewMessage, 'template' | 'data'> & { template: N; data: T[N] } }[keyof T & string] | ReadyMessage;

export type Client<T extends object = AnyTemplates> = ReturnType<typeof createClient<T>>;

interface Call {
  readonly body?: unknown;
  /** Sent as they are, in place of a body. */
  readonly bytes?: Blob;
  readonly headers?: Readonly<Record<string, string>>;
  /** Whether the request may be made again when no answer came. */
  readonly repeatable: boolean;
  readonly signal?: AbortSignal | undefined;
}

const WAIT_MS = 200;
/** How long one call waits for a captured mail, in seconds. */
const LONGEST_WAIT_S = 60;

export interface FollowOptions {
  /** Ends it. */
  readonly signal?: AbortSignal;
  /** Goes on after this one; from now on when left out. */
  readonly lastId?: string;
}

/** A typed client of the service's HTTP interface. Its methods reject with RefusedError or UnreachableError. */
export function createClient<T extends object = AnyTemplates>(options: ClientOptions) {
  const { url, key, space, tries = 3 } = options;
  const base = url.replace(/\/+$/, '');
  const http = options.fetch ?? fetch;

  async function call(method: string, path: string, { body, bytes, headers, repeatable, signal }: Call): Promise<Response> {
    const request: RequestInit = {
      method,
      headers: {
        accept: 'application/json',
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
        ...(space === undefined ? {} : { 'verbalis-space': space }),
        ...options.headers,
        ...headers,
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      ...(bytes === undefined ? {} : { body: bytes }),
      ...(signal === undefined ? {} : { signal }),
    };
    for (let made = 1; ; made += 1) {
      const last = !repeatable || made >= tries;
      let response: Response;
      try {
        response = await http(base + path, request);
      } catch (error) {
        if (!last && !isAborted(signal)) {
          await wait(made);
          continue;
        }
        const cause =
          error instanceof Error && error.cause instanceof Error
            ? error.cause.message
            : error instanceof Error
              ? error.message
              : String(error);
        throw new UnreachableError(`No answer from ${base}: ${cause}`);
      }
      if (response.ok) return response;
      if (!last && (response.status === 429 || response.status >= 502)) {
        await wait(made, Number(response.headers.get('retry-after') ?? 0) * 1000);
        continue;
      }
      throw await refusal(response, base);
    }
  }

  async function json<T>(method: string, path: string, more: Call): Promise<T> {
    return (await (await call(method, path, more)).json()) as T;
  }

  const read = { repeatable: true };

  const bytesAt = async (path: string): Promise<Uint8Array> => new Uint8Array(await (await call('GET', path, read)).arrayBuffer());
  const ofCaptured = {
    source: (id: string) => bytesAt(`/v1/captured/${encodeURIComponent(id)}/source`),
    attachment: (id: string, part: number) => bytesAt(`/v1/captured/${encodeURIComponent(id)}/attachments/${part}`),
  };

  /** Follows a stream and takes it up again when the line breaks, from what was seen last. Ends when the signal does. */
  async function* follow(path: string, { signal, lastId }: FollowOptions = {}): AsyncGenerator<StreamEvent> {
    let seen = lastId;
    for (let failed = 1; signal?.aborted !== true; failed += 1) {
      try {
        const headers = { accept: 'text/event-stream', ...(seen === undefined ? {} : { 'last-event-id': seen }) };
        for await (const one of eventsOf(await call('GET', path, { headers, repeatable: true, signal }))) {
          seen = one.id ?? seen;
          failed = 1;
          yield one;
        }
      } catch (error) {
        if (isAborted(signal)) return;
        // What was refused is refused again; a line that broke is not.
        if (error instanceof RefusedError || failed > tries) throw error;
      }
      await wait(Math.min(failed, 5));
    }
  }

  return {
    messages: {
      /** Asks for a message. Resolves when it is on the service's disk. */
      send: (message: MessageOf<NoInfer<T>>, { idempotencyKey = crypto.randomUUID() }: SendOptions = {}): Promise<MessageSummary> =>
        json('POST', '/v1/messages', { body: message, headers: { 'idempotency-key': idempotencyKey }, repeatable: true }),
      /** Asks for up to 1,000 messages; says of each what became of it. */
      sendBatch: async (
        batch: Schemas['NewBatch'],
        { idempotencyKey = crypto.randomUUID() }: SendOptions = {},
      ): Promise<Schemas['Batch']> =>
        json('POST', '/v1/messages/batch', { body: batch, headers: { 'idempotency-key': idempotencyKey }, repeatable: true }),
      /** Calls a message back, as far as it has not gone. */
      cancel: (id: string): Promise<Schemas['Change']> =>
        json('POST', `/v1/messages/${encodeURIComponent(id)}/cancel`, { repeatable: true }),
      /** Sets another time for what has not gone. */
      reschedule: (id: string, wanted: Schemas['Rescheduling']): Promise<Schemas['Change']> =>
        json('POST', `/v1/messages/${encodeURIComponent(id)}/reschedule`, { body: wanted, repeatable: true }),
      /** A page of messages, newest first. */
      list: (filter: ListFilter = {}): Promise<MessageList> => json('GET', `/v1/messages${query(filter)}`, read),
      /** One message with all that is known of its deliveries. */
      get: (id: string): Promise<Message> => json('GET', `/v1/messages/${encodeURIComponent(id)}`, read),
      /** The mail as it was sent. */
      mail: (id: string): Promise<Mail> => json('GET', `/v1/messages/${encodeURIComponent(id)}/mail`, read),
      /** The mail's bytes as text (RFC 5322). */
      source: async (id: string): Promise<string> => (await call('GET', `/v1/messages/${encodeURIComponent(id)}/source`, read)).text(),
    },
    uploads: {
      /** Hands in a file to be attached later: `attachments: [{ upload: id }]`. */
      add: (name: string, bytes: Blob): Promise<Upload> =>
        json('POST', `/v1/uploads${query({ name })}`, {
          bytes,
          headers: { 'content-type': bytes.type === '' ? 'application/octet-stream' : bytes.type },
          repeatable: false,
        }),
    },
    captured: {
      /** A page of captured mail, newest first. */
      list: (filter: CapturedListFilter = {}): Promise<CapturedList> => json('GET', `/v1/captured${query(filter)}`, read),
      get: async (id: string): Promise<CapturedMail> =>
        capturedMail(await json<CapturedView>('GET', `/v1/captured/${encodeURIComponent(id)}`, read), ofCaptured),
      /**
       * The newest mail that fits, at once or as soon as it comes: the service holds the call until then, nothing is asked repeatedly.
       * Rejects with RefusedError when none came in time (10 seconds, when nothing is said), naming what came instead.
       */
      waitFor: async (filter: CapturedWaitFilter, { timeout = 10_000 }: { readonly timeout?: number } = {}): Promise<CapturedMail> => {
        const after = filter.after instanceof Date ? filter.after.toISOString() : filter.after;
        const end = Date.now() + timeout;
        for (;;) {
          const left = Math.max(0, end - Date.now());
          // A call that is held too long is cut off by something on the way.
          const seconds = Math.min(left / 1000, LONGEST_WAIT_S);
          try {
            const view = await json<CapturedView>('GET', `/v1/captured/wait${query({ ...filter, after, seconds })}`, read);
            return capturedMail(view, ofCaptured);
          } catch (error) {
            const nothing = error instanceof RefusedError && error.problem.type.endsWith('nothing-captured');
            if (!nothing || end - Date.now() <= 0) throw error;
          }
        }
      },
      /** Recipients with how many mails they have, the latest first. */
      addresses: (): Promise<Schemas['CapturedAddresses']> => json('GET', '/v1/captured/addresses', read),
      /** Takes captured mail away: all of it, or what fits. @returns how many */
      clear: async (filter: CapturedFilter = {}): Promise<number> =>
        (await json<Schemas['CapturedCleared']>('DELETE', `/v1/captured${query({ ...filter })}`, { repeatable: true })).removed,
      remove: async (id: string): Promise<void> => {
        await call('DELETE', `/v1/captured/${encodeURIComponent(id)}`, { repeatable: true });
      },
      ...ofCaptured,
      /** Lets something become of a captured mail, as if the other side had told it. */
      simulate: async (
        mail: { readonly id: string },
        fate: Fate,
        more: { readonly cause?: Cause; readonly link?: string } = {},
      ): Promise<void> => {
        await call('POST', `/v1/captured/${encodeURIComponent(mail.id)}/simulate`, { body: { fate, ...more }, repeatable: false });
      },
      /** Captured mail as it arrives. */
      follow: async function* (options: FollowOptions = {}): AsyncGenerator<CapturedSummary> {
        for await (const { event, data } of follow('/v1/captured/stream', options)) if (event === 'captured') yield data as CapturedSummary;
      },
    },
    templates: {
      list: (edition?: number): Promise<TemplateList> => json('GET', `/v1/templates${query({ edition })}`, read),
      get: (name: string, edition?: number): Promise<TemplateDetail> =>
        json('GET', `/v1/templates/${encodeURIComponent(name)}${query({ edition })}`, read),
      /** Renders a mail to be looked at. */
      render: (name: string, wanted: RenderWanted, signal?: AbortSignal): Promise<Rendered> =>
        json('POST', `/v1/templates/${encodeURIComponent(name)}/render`, { body: wanted, repeatable: true, signal }),
      /** Sends a rendered mail to somebody. */
      test: (name: string, wanted: Schemas['TestMail']): Promise<Schemas['TestMailMade']> =>
        json('POST', `/v1/templates/${encodeURIComponent(name)}/test`, { body: wanted, repeatable: false }),
      /** A rendered mail's HTML as it is sent. */
      frameHtml: async (frame: string): Promise<string> => (await call('GET', `/v1/templates/frames/${frame}/html`, read)).text(),
      /** A rendered mail as a whole (RFC 5322). */
      frameSource: async (frame: string): Promise<string> => (await call('GET', `/v1/templates/frames/${frame}/source`, read)).text(),
      save: async (file: Schemas['SaveFile']): Promise<void> => {
        await call('PUT', '/v1/templates/files', { body: file, repeatable: true });
      },
      /** Changes of a folder that is worked on. */
      changes: (options: FollowOptions = {}) => follow('/v1/templates/changes', options),
    },
    events: {
      /** A page of what was made public, newest first. */
      list: (filter: EventsFilter = {}): Promise<Schemas['EventList']> => json('GET', `/v1/events${query(filter)}`, read),
      /** How many of the last day's events a filter lets through. */
      tryFilter: (filter: string): Promise<Schemas['FilterTried']> =>
        json('POST', '/v1/events/filter', { body: { filter }, repeatable: true }),
      /** Events as they come, from `lastId` on. */
      follow: async function* ({ filter, ...options }: FollowOptions & { readonly filter?: string } = {}): AsyncGenerator<CloudEvent> {
        for await (const { event, data } of follow(`/v1/events/stream${query({ filter })}`, options))
          if (event === 'event') yield data as CloudEvent;
      },
    },
    subscriptions: {
      list: async (): Promise<Subscription[]> => (await json<Schemas['SubscriptionList']>('GET', '/v1/subscriptions', read)).subscriptions,
      get: (id: string): Promise<Subscription> => json('GET', `/v1/subscriptions/${encodeURIComponent(id)}`, read),
      /** Sends events to an address; the answer has the secret that signs, once. */
      add: (wanted: NewSubscription): Promise<Subscription> => json('POST', '/v1/subscriptions', { body: wanted, repeatable: false }),
      change: (id: string, wanted: Schemas['SubscriptionChange']): Promise<Subscription> =>
        json('PATCH', `/v1/subscriptions/${encodeURIComponent(id)}`, { body: wanted, repeatable: true }),
      remove: async (id: string): Promise<void> => {
        await call('DELETE', `/v1/subscriptions/${encodeURIComponent(id)}`, { repeatable: true });
      },
      pause: (id: string): Promise<Subscription> => json('POST', `/v1/subscriptions/${encodeURIComponent(id)}/pause`, { repeatable: true }),
      resume: (id: string): Promise<Subscription> =>
        json('POST', `/v1/subscriptions/${encodeURIComponent(id)}/resume`, { repeatable: true }),
      /** Sends a test at once. */
      test: (id: string): Promise<Schemas['SubscriptionTested']> =>
        json('POST', `/v1/subscriptions/${encodeURIComponent(id)}/test`, { repeatable: false }),
      /** A new secret that signs beside the old one. */
      renewSecret: (id: string): Promise<Subscription> =>
        json('POST', `/v1/subscriptions/${encodeURIComponent(id)}/secret`, { repeatable: false }),
      replay: (id: string, since: Date): Promise<Subscription> =>
        json('POST', `/v1/subscriptions/${encodeURIComponent(id)}/replay`, { body: { since: since.toISOString() }, repeatable: true }),
      /** Sends again what was set aside. @returns how many */
      again: async (id: string, notifications?: string[]): Promise<number> =>
        (
          await json<Schemas['AgainMade']>('POST', `/v1/subscriptions/${encodeURIComponent(id)}/again`, {
            body: notifications === undefined ? {} : { notifications },
            repeatable: true,
          })
        ).count,
      notifications: (id: string, filter: NotificationsFilter = {}): Promise<Schemas['NotificationList']> =>
        json('GET', `/v1/subscriptions/${encodeURIComponent(id)}/notifications${query(filter)}`, read),
    },
    /** How many, what became of them, how long it took. */
    figures: (wanted: FiguresWanted = {}): Promise<FiguresView> => json('GET', `/v1/figures${query(wanted)}`, read),
    figuresCsv: async (wanted: FiguresWanted = {}): Promise<string> => (await call('GET', `/v1/figures/csv${query(wanted)}`, read)).text(),
    /** Items that could not be processed. */
    quarantine: {
      list: (page: { limit?: number; cursor?: string } = {}): Promise<Schemas['QuarantineList']> =>
        json('GET', `/v1/quarantine${query({ ...page })}`, read),
      get: (id: string): Promise<Schemas['QuarantinedItemFull']> => json('GET', `/v1/quarantine/${encodeURIComponent(id)}`, read),
      /** Puts an item back into the queue of its worker. */
      retry: (id: string): Promise<Schemas['QuarantinedItem']> =>
        json('POST', `/v1/quarantine/${encodeURIComponent(id)}/retry`, { repeatable: false }),
      /** Removes an item without processing it. */
      drop: async (id: string): Promise<void> => {
        await call('DELETE', `/v1/quarantine/${encodeURIComponent(id)}`, { repeatable: true });
      },
    },

    /** Rules over what happens, and the alerts that follow from them. */
    alerts: {
      list: (): Promise<Schemas['AlertList']> => json('GET', '/v1/alerts', read),
      /** Sets a rule of the space, or changes it. */
      setRule: (name: string, rule: NewAlertRule): Promise<AlertRule> =>
        json('PUT', `/v1/alerts/rules/${encodeURIComponent(name)}`, { body: rule, repeatable: true }),
      removeRule: async (name: string): Promise<void> => {
        await call('DELETE', `/v1/alerts/rules/${encodeURIComponent(name)}`, { repeatable: true });
      },
    },
    /** Whatever fits an address or its beginning, an id, a reference or words of a subject. */
    search: (q: string): Promise<Schemas['SearchResult']> => json('GET', `/v1/search${query({ q })}`, read),
    queue: (): Promise<Schemas['Queue']> => json('GET', '/v1/queue', read),
    editions: {
      list: (): Promise<Schemas['EditionList']> => json('GET', '/v1/editions', read),
      get: (number: number): Promise<Schemas['EditionDetail']> => json('GET', `/v1/editions/${number}`, read),
      /** The text of one of its files. */
      file: async (number: number, path: string): Promise<string> =>
        (await call('GET', `/v1/editions/${number}/files/${path.split('/').map(encodeURIComponent).join('/')}`, read)).text(),
      diff: (from: number, to: number): Promise<Schemas['EditionDiff']> => json('GET', `/v1/editions/${from}/diff/${to}`, read),
      /** Publishes files by their hashes; the answer names contents that must come along. */
      publish: (wanted: Schemas['NewEdition']): Promise<Schemas['Publication']> =>
        json('POST', '/v1/editions', { body: wanted, repeatable: true }),
      use: (number: number): Promise<Schemas['Edition']> => json('POST', '/v1/editions/use', { body: { number }, repeatable: true }),
    },
    providers: {
      pause: async (name: string): Promise<void> => {
        await call('POST', `/v1/providers/${encodeURIComponent(name)}/pause`, { repeatable: true });
      },
      resume: async (name: string): Promise<void> => {
        await call('POST', `/v1/providers/${encodeURIComponent(name)}/resume`, { repeatable: true });
      },
      list: (): Promise<Schemas['ProviderList']> => json('GET', '/v1/providers', read),
      /** Looks into a provider step by step; with `to`, also sends a test mail. */
      test: (name: string, wanted: Schemas['ProviderTest'] = {}): Promise<ProviderReport> =>
        json('POST', `/v1/providers/${encodeURIComponent(name)}/test`, { body: wanted, repeatable: false }),
    },
    returns: {
      list: (filter: ReturnFilter = {}): Promise<Schemas['ReturnList']> => json('GET', `/v1/returns${query(filter)}`, read),
      get: (id: string): Promise<ReturnView> => json('GET', `/v1/returns/${encodeURIComponent(id)}`, read),
      /** Its bytes: a mail, or the event of a callback. */
      source: async (id: string): Promise<Uint8Array> =>
        new Uint8Array(await (await call('GET', `/v1/returns/${encodeURIComponent(id)}/source`, read)).arrayBuffer()),
      /** Hands in a mail that came back, or an mbox file of them. The same one twice is one. */
      add: (bytes: Uint8Array, { envelopeTo }: { envelopeTo?: string } = {}): Promise<Schemas['ReturnsTaken']> =>
        json('POST', `/v1/returns${query({ envelopeTo })}`, {
          bytes: new Blob([bytes as Uint8Array<ArrayBuffer>], { type: 'message/rfc822' }),
          repeatable: true,
        }),
      match: (id: string, deliveryId: string): Promise<ReturnView> =>
        json('POST', `/v1/returns/${encodeURIComponent(id)}/match`, { body: { deliveryId }, repeatable: false }),
    },
    suppressions: {
      list: (filter: SuppressionFilter = {}): Promise<Schemas['SuppressionList']> => json('GET', `/v1/suppressions${query(filter)}`, read),
      add: (wanted: Schemas['NewSuppression']): Promise<SuppressionView> =>
        json('POST', '/v1/suppressions', { body: wanted, repeatable: true }),
      lift: (id: string, note: string): Promise<SuppressionView> =>
        json('POST', `/v1/suppressions/${encodeURIComponent(id)}/lift`, { body: { note }, repeatable: false }),
      /** All in force, as CSV. */
      export: async (): Promise<string> => (await call('GET', '/v1/suppressions/export', read)).text(),
      /** Takes CSV with a column "address"; the answer says what became of each line. */
      import: (csv: string): Promise<Schemas['SuppressionImport']> =>
        json('POST', '/v1/suppressions/import', { bytes: new Blob([csv], { type: 'text/csv' }), repeatable: true }),
    },
    domains: {
      list: (): Promise<Schemas['DomainList']> => json('GET', '/v1/domains', read),
      /** Makes the keys that sign mail of a domain. */
      add: (name: string, algorithms?: Schemas['NewDomain']['algorithms']): Promise<DomainView> =>
        json('POST', '/v1/domains', { body: algorithms === undefined ? { name } : { name, algorithms }, repeatable: true }),
    },
    /** Tells the operator of the space what needs a person. */
    tellOperator: (subject: string, text: string, { idempotencyKey = crypto.randomUUID() }: SendOptions = {}): Promise<{ id: string }> =>
      json('POST', '/v1/operator-notes', { body: { subject, text }, headers: { 'idempotency-key': idempotencyKey }, repeatable: true }),
    keys: {
      /** Makes a key; its text is in the answer and nowhere else. */
      add: (wanted: NewKey): Promise<KeyMade> => json('POST', '/v1/keys', { body: wanted, repeatable: false }),
    },
    session: {
      get: (): Promise<Schemas['SpaceList']> => json('GET', '/console/session', { repeatable: false }),
      signIn: (by: { secret: string } | { token: string }): Promise<{ spaces: SpaceView[] }> =>
        json('POST', '/console/session', { body: by, repeatable: false }),
      signOut: async (): Promise<void> => {
        await call('DELETE', '/console/session', { repeatable: false });
      },
    },
    /** Whether the service takes work. */
    isReady: async (): Promise<boolean> => {
      try {
        return (await http(`${base}/health/ready`)).ok;
      } catch {
        return false;
      }
    },
  };
}

function isAborted(signal: AbortSignal | undefined): boolean {
  return signal?.aborted === true;
}

function query(filter: Readonly<Record<string, unknown>>): string {
  const entries = Object.entries(filter).filter(([, value]) => value !== undefined && value !== '');
  return entries.length === 0 ? '' : `?${new URLSearchParams(entries.map(([name, value]) => [name, String(value)])).toString()}`;
}

async function refusal(response: Response, base: string): Promise<Error> {
  if (!(response.headers.get('content-type') ?? '').includes('application/problem+json')) {
    return new UnreachableError(`${base} answered ${response.status}, but not as Verbalis does. Is it the right address?`);
  }
  return new RefusedError((await response.json()) as ProblemBody);
}

function wait(made: number, least = 0): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, Math.max(least, WAIT_MS * 2 ** (made - 1))));
}
