import { eventOf, fieldsOf, passes, readFilter, type Filter } from '@verbalis/core/events';
import { Router, type RequestHandler } from 'express';
import type { Clock } from '../kernel/index.js';
import type { Feed } from '../notify/index.js';
import { invalid, Refusal } from '../refusal.js';
import type { Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { EVENT_SCHEMAS } from './event-schemas.js';
import { parse } from './problem.js';
import { openStream } from './stream.js';
import { EventsQuery, FilterTrial, StreamQuery } from './tracking-schemas.js';

export interface EventsOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly feed: Feed;
  readonly publicUrl: string | undefined;
}

const DAY = 24 * 3_600_000;
const STEP = 300;
/** Events that one call looks through. */
const MOST_LOOKED = 20_000;

/** Reads a filter. @throws Refusal with the place of what is wrong */
export function filterOf(text: string, path = 'filter'): Filter {
  const { filter, fault } = readFilter(text);
  if (filter !== undefined) return filter;
  throw invalid([{ path, message: `is no filter: ${fault.message.replace(/\.$/, '')} (sign ${fault.at + 1})`, hint: fault.hint }]);
}

/** JSON Schema of the data of events. It holds no secret, so that whoever gets an event can look it up without a key. */
export const eventSchema: RequestHandler = (request, response) => {
  const name = String(request.params['name']);
  const schema = Object.hasOwn(EVENT_SCHEMAS, name) ? EVENT_SCHEMAS[name] : undefined;
  if (schema === undefined)
    throw new Refusal(404, 'unknown-schema', 'There is no such schema', { hint: `One of ${Object.keys(EVENT_SCHEMAS).join(', ')}.` });
  response.type('application/schema+json').send(JSON.stringify(schema, null, 2));
};

/** Everything that is made public: as a list, as a stream, and what a filter would let through. */
export function eventsRouter({ store, clock, feed, publicUrl }: EventsOptions): Router {
  const router = Router();

  router.get('/', needs('read'), (request, response) => {
    const { limit, cursor, filter: text, deliveryId } = parse(EventsQuery, request.query);
    const { space } = callerOf(request);
    const filter = text === undefined ? undefined : filterOf(text);
    let before = cursor === undefined ? undefined : Number.parseInt(cursor, 36);
    const found = [];
    // A filter that lets little through is looked for no further than so many events; the cursor goes on from there.
    for (let looked = 0; found.length < limit && looked < MOST_LOOKED; looked += STEP) {
      const rows = store.events.list({ space, limit: STEP, before, deliveryId });
      for (const row of rows) {
        before = row.seq;
        if (filter === undefined || passes(filter, fieldsOf(row))) found.push(row);
        if (found.length === limit) break;
      }
      if (rows.length < STEP && found.length < limit) {
        before = undefined;
        break;
      }
    }
    response.json({ events: found.map((row) => eventOf(row, publicUrl)), nextCursor: before?.toString(36) });
  });

  router.post('/filter', needs('read'), (request, response) => {
    const filter = filterOf(parse(FilterTrial, request.body).filter);
    const { space } = callerOf(request);
    const since = store.events.before(clock.now() - DAY);
    const kinds: Record<string, number> = {};
    let [looked, passed] = [0, 0];
    for (let before: number | undefined; looked < MOST_LOOKED;) {
      const rows = store.events.list({ space, limit: 1000, before }).filter((row) => row.seq > since && row.kind !== 'test');
      for (const row of rows) {
        before = row.seq;
        looked += 1;
        if (!passes(filter, fieldsOf(row))) continue;
        passed += 1;
        kinds[row.kind] = (kinds[row.kind] ?? 0) + 1;
      }
      if (rows.length === 0) break;
    }
    response.json({ looked, passed, kinds });
  });

  router.get('/stream', needs('read'), (request, response) => {
    const { filter: text } = parse(StreamQuery, request.query);
    const filter = text === undefined ? undefined : filterOf(text);
    const { space } = callerOf(request);
    const stream = openStream(request, response);
    const told = Number(request.header('last-event-id') ?? Number.NaN);
    let at = Number.isInteger(told) ? told : store.events.last();
    const look = (): void => {
      for (;;) {
        const rows = store.events.after(at, STEP);
        for (const row of rows) {
          at = row.seq;
          if (row.space !== space || (filter !== undefined && !passes(filter, fieldsOf(row)))) continue;
          if (!stream.send({ id: row.seq, event: 'event', data: eventOf(row, publicUrl) })) return;
        }
        if (rows.length < STEP) return;
      }
    };
    stream.onClose(feed.onNew(look));
    look();
  });

  return router;
}
