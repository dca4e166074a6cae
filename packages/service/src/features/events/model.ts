import { EVENT_KINDS } from '@verbalis/core/events';
import * as z from 'zod';
import { Limit, NumberCursor } from '../../kernel/index.js';

export const Kind = z.enum(EVENT_KINDS);

/** A filter of events, read where it is used so that faults have a place. */
export const FilterText = z
  .string()
  .max(4000)
  .meta({ description: 'Conditions, like: type in [failed, complained] and topic = "bookings".' });

const CloudEventView = z
  .strictObject({
    specversion: z.literal('1.0'),
    id: z.string(),
    source: z.string(),
    type: z.string(),
    subject: z.string().optional(),
    time: z.iso.datetime(),
    datacontenttype: z.literal('application/json'),
    dataschema: z.string(),
    partitionkey: z.string().optional(),
    traceparent: z.string().optional(),
    tracestate: z.string().optional(),
    data: z.record(z.string(), z.unknown()),
  })
  .meta({ id: 'CloudEvent' });

export const EventsQuery = z.strictObject({
  limit: Limit,
  cursor: NumberCursor,
  filter: FilterText.optional(),
  deliveryId: z.string().optional(),
});
export const EventList = z
  .strictObject({
    events: z.array(CloudEventView),
    nextCursor: z.string().optional().meta({
      description:
        'Where the next page begins. A filter that lets little through ends a page before it is full, or empty: go on from here.',
    }),
  })
  .meta({ id: 'EventList' });
export const FilterTest = z.strictObject({ filter: FilterText }).meta({ id: 'FilterTest' });
export const FilterResult = z
  .strictObject({
    looked: z.int().meta({ description: 'Events of the last day that were looked at.' }),
    passed: z.int(),
    kinds: z.record(z.string(), z.int()).meta({ description: 'Those that pass, by kind.' }),
  })
  .meta({ id: 'FilterResult' });
export const StreamQuery = z.strictObject({ filter: FilterText.optional() });
