import {
  ABOUT_NO_DELIVERY,
  EVENT_KINDS,
  eventOf,
  fieldsOf,
  passes,
  readFilter,
  valuesOf,
  type EventKind,
  type Filter,
} from '@verbalis/core/events';
import {
  content,
  endpointsOf,
  eventStream,
  invalid,
  json,
  jsonBody,
  numberCursor,
  openStream,
  Refusal,
  Reply,
  textParams,
  type Clock,
} from '../../kernel/index.js';
import { EVENT_SCHEMAS } from './data-schemas.js';
import type { Feed } from './feed.js';
import { EventList, EventsQuery, FilterTest, FilterResult, StreamQuery } from './model.js';
import type { EventFilter, KnownEvent } from './list-queries.js';
import type { Store } from './store.js';

export interface EventEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly feed: Feed;
  readonly publicUrl: string | undefined;
}

const endpoint = endpointsOf<EventEndpoints>();

const DAY = 24 * 3_600_000;
/** Events that are read, and that are looked at, without a pause. */
const [READ_STEP, LOOK_STEP] = [300, 1000];
/** Events that one call looks through, and how many of them it reads whole: some tens of milliseconds. */
const [MOST_LOOKED, MOST_READ] = [4000, 600];
/** Events that a trial of a filter looks through. */
const MOST_TRIED = 20_000;

/** Reads a filter. @throws Refusal with the place of what is wrong */
export function filterOf(text: string, path = 'filter'): Filter {
  const { filter, fault } = readFilter(text);
  if (filter !== undefined) return filter;
  const message = `is not a valid filter: ${fault.message.replace(/\.$/, '')} (character ${fault.at + 1})`;
  throw invalid([{ path, message, hint: fault.hint }]);
}

const optionalFilter = (text: string | undefined): Filter | undefined => (text === undefined ? undefined : filterOf(text));

/** What an event has of what an email says. */
const CONTENT = ['text', 'quoted', 'signature', 'html'] as const;

/** Deliveries of one address or reference that events are looked up of; where there are more, they are met soon enough. */
const MOST_DELIVERIES = 500;

const LOOKED_AT = ['template', 'topic', 'domain', 'cause'] as const;

/** What only events can be that a filter lets through: a look begins with what is rare. */
function narrowed({ events }: Store, space: string, filter: Filter | undefined): Pick<EventFilter, 'kinds' | 'deliveryIds' | 'only'> {
  if (filter === undefined) return {};
  const only = (field: string): string | undefined => {
    const [value, ...others] = valuesOf(filter, field) ?? [];
    return typeof value === 'string' && others.length === 0 ? value : undefined;
  };
  const types = valuesOf(filter, 'type');
  return {
    kinds: types === undefined ? undefined : EVENT_KINDS.filter((kind) => types.includes(kind)),
    deliveryIds: events.deliveriesOf(
      space,
      { reference: only('reference'), address: only('address'), messageId: only('messageId') },
      MOST_DELIVERIES,
    ),
    only: Object.fromEntries(
      LOOKED_AT.flatMap((field) => {
        const values = valuesOf(filter, field);
        return values === undefined ? [] : [[field, values.map(String)]];
      }),
    ),
  };
}

/** Of some kinds those that are about a delivery. */
function factKinds(kinds: readonly EventKind[] = EVENT_KINDS): readonly EventKind[] {
  return kinds.filter((kind) => !(ABOUT_NO_DELIVERY as readonly EventKind[]).includes(kind));
}

/** Lets others have their turn in the middle of a long look. */
const turn = (): Promise<void> => new Promise((done) => setImmediate(done));

/** An event as the caller may see it: without the content of emails where their role does not show it. */
function forCaller(event: KnownEvent, readsContent: boolean): KnownEvent {
  if (readsContent || event.kind !== 'received' || event.data === undefined) return event;
  const hidden = Object.fromEntries(CONTENT.flatMap((name) => (event.data?.[name] === undefined ? [] : [[name, '']])));
  return { ...event, data: { ...event.data, ...hidden } };
}

const list = endpoint({
  name: 'events.list',
  method: 'get',
  path: '/v1/events',
  summary: 'Events, newest first',
  scope: 'read',
  query: EventsQuery,
  answers: { 200: json('A page.', EventList) },
  async run({ caller: { space, readsContent }, query: { limit, cursor, filter: text, deliveryId } }, { store, publicUrl }) {
    const filter = optionalFilter(text);
    const narrow = narrowed(store, space, filter);
    const look = deliveryId === undefined ? narrow : { ...narrow, kinds: factKinds(narrow.kinds), deliveryIds: [deliveryId] };
    const isRead = Object.keys(look.only ?? {}).length === 0;
    let before = cursor;
    const found: KnownEvent[] = [];
    // A filter that lets little through is looked for no further than so many events; the cursor goes on from there.
    for (let [looked, read] = [0, 0]; looked < MOST_LOOKED && read < MOST_READ;) {
      if (looked > 0) await turn();
      const page = store.events.list({ space, limit: looked === 0 || isRead ? READ_STEP : LOOK_STEP, before, ...look });
      looked += page.looked;
      read += page.events.length;
      before = page.next;
      for (const event of page.events) {
        if (filter !== undefined && !passes(filter, fieldsOf(event))) continue;
        found.push(event);
        if (found.length < limit) continue;
        before = event.seq;
        break;
      }
      if (before === undefined || found.length === limit) break;
    }
    return {
      events: found.map((row) => eventOf(forCaller(row, readsContent), publicUrl)),
      nextCursor: before === undefined ? undefined : numberCursor(before),
    };
  },
});

const tryFilter = endpoint({
  name: 'events.tryFilter',
  method: 'post',
  path: '/v1/events/filter',
  summary: 'How many of the last day’s events a filter lets through',
  scope: 'read',
  audited: 'nothing',
  body: jsonBody(FilterTest),
  answers: { 200: json('Counts.', FilterResult) },
  isRepeatable: true,
  async run({ caller: { space }, body }, { store, clock }) {
    const filter = filterOf(body.filter);
    const since = store.events.before(clock.now() - DAY);
    const kinds: Record<string, number> = {};
    let [looked, passed] = [0, 0];
    for (let before: number | undefined; looked < MOST_TRIED;) {
      if (before !== undefined) await turn();
      const page = store.events.list({ space, limit: READ_STEP, before });
      const rows = page.events.filter((row) => row.seq > since && row.kind !== 'test');
      for (const row of rows) {
        looked += 1;
        if (!passes(filter, fieldsOf(row))) continue;
        passed += 1;
        kinds[row.kind] = (kinds[row.kind] ?? 0) + 1;
      }
      before = page.next;
      if (before === undefined || before <= since) break;
    }
    return { looked, passed, kinds };
  },
});

const follow = endpoint({
  name: 'events.follow',
  method: 'get',
  path: '/v1/events/stream',
  summary: 'Events as they happen (server-sent events), from Last-Event-ID on',
  scope: 'read',
  query: StreamQuery,
  answers: { 200: eventStream('Events "event".') },
  run({ caller, query, request, response }, { store, feed, publicUrl }) {
    const { space } = caller;
    const filter = optionalFilter(query.filter);
    const stream = openStream({ caller, request, response });
    const given = Number(request.header('last-event-id') ?? Number.NaN);
    let at = Number.isInteger(given) ? given : store.events.last();
    const look = (): void => {
      for (;;) {
        const rows = store.events.after(at, READ_STEP);
        for (const row of rows) {
          at = row.seq;
          if (row.space !== space || (filter !== undefined && !passes(filter, fieldsOf(row)))) continue;
          if (!stream.send({ id: row.seq, event: 'event', data: eventOf(forCaller(row, caller.readsContent), publicUrl) })) return;
        }
        if (rows.length < READ_STEP) return;
      }
    };
    stream.onClose(feed.onNew(look));
    look();
    return undefined;
  },
});

const schema = endpoint({
  name: 'events.schema',
  method: 'get',
  path: '/v1/events/schemas/{name}',
  summary: 'JSON Schema of the data of events: delivery, alert, test',
  description: 'It contains no secret, so that receivers of events can read it without a key.',
  scope: 'open',
  params: textParams('name'),
  answers: { 200: content('The schema.', 'application/schema+json') },
  run({ params: { name } }) {
    const found = Object.hasOwn(EVENT_SCHEMAS, name) ? EVENT_SCHEMAS[name as keyof typeof EVENT_SCHEMAS] : undefined;
    if (found !== undefined) return new Reply(JSON.stringify(found, null, 2));
    throw new Refusal(404, 'unknown-schema', 'There is no such schema', { hint: `One of ${Object.keys(EVENT_SCHEMAS).join(', ')}.` });
  },
});

/** Everything that is made public: as a list, as a stream, and what a filter would let through. */
export const eventEndpoints = [list, tryFilter, follow, schema];
