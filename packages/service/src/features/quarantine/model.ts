import * as z from 'zod';
import { IdCursor, Limit } from '../../kernel/index.js';

/** Items that could not be processed. */
export const QuarantineQuery = z.strictObject({
  limit: Limit,
  cursor: IdCursor,
});
export const QuarantinedItem = z
  .strictObject({
    id: z.string(),
    worker: z.string().meta({ description: 'Whose item it is: queue, callbacks, returns, notifications, figures, alerts, …' }),
    space: z.string().optional().meta({ description: 'Absent if the space is not known; such items are shown to operators only.' }),
    title: z.string(),
    error: z.string().meta({ description: 'Why it could not be processed.' }),
    quarantinedAt: z.iso.datetime(),
  })
  .meta({ id: 'QuarantinedItem' });
export const QuarantinedItemFull = QuarantinedItem.extend({
  stack: z.string(),
  payload: z.unknown().meta({ description: 'What is needed to try it again.' }),
}).meta({ id: 'QuarantinedItemFull' });
export const QuarantineList = z
  .strictObject({ items: z.array(QuarantinedItem), nextCursor: z.string().optional() })
  .meta({ id: 'QuarantineList' });
