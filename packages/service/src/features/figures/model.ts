import * as z from 'zod';
import { DIMENSIONS } from './queries.js';
import { Time } from '../../kernel/index.js';

const Times = z.strictObject({ median: z.int().optional(), p95: z.int().optional() }).meta({ description: 'Milliseconds.' });
export const Counts = z
  .strictObject({
    created: z.int().meta({ description: 'Deliveries that were created.' }),
    states: z.record(z.string(), z.int()),
    imagesLoaded: z.int(),
    linksFollowed: z.int(),
    toAccepted: Times,
    toDelivered: Times,
  })
  .meta({ id: 'Counts' });
export const FiguresQuery = z.strictObject({
  from: Time.optional(),
  to: Time.optional(),
  by: z.enum(DIMENSIONS).exclude(['all']).optional(),
  grain: z.enum(['hour', 'day']).optional(),
});
export const Figures = z
  .strictObject({
    from: z.iso.datetime(),
    to: z.iso.datetime(),
    grain: z.enum(['hour', 'day']),
    total: Counts,
    before: Counts.meta({ description: 'The same for as long a time before.' }),
    series: z.array(z.strictObject({ at: z.iso.datetime(), states: z.record(z.string(), z.int()) })),
    by: z.array(z.strictObject({ value: z.string(), counts: Counts })).optional(),
  })
  .meta({ id: 'Figures' });
