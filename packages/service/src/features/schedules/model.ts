import * as z from 'zod';
import { IdCursor, Limit, Time } from '../../kernel/index.js';

export const ScheduleRun = z
  .strictObject({
    id: z.string(),
    plannedAt: z.iso.datetime(),
    at: z.iso.datetime().meta({ description: 'When it came to that.' }),
    state: z.enum(['started', 'skipped', 'failed']),
    manual: z.boolean().meta({ description: 'A person asked for it, out of turn.' }),
    why: z.string().optional().meta({ description: 'Why it was skipped, or failed.' }),
    bulkSend: z.string().optional().meta({ description: 'The id of its bulk send.' }),
  })
  .meta({ id: 'ScheduleRun' });

const fields = {
  name: z.string(),
  template: z.string(),
  state: z.enum(['active', 'paused', 'ended']).meta({ description: 'ended: it has no more times.' }),
  starts: z.string().meta({ description: 'A clock time in its time zone.' }),
  timeZone: z.string(),
  repeat: z.string().optional().meta({ description: 'RFC 5545, 3.3.10; once, when left out.' }),
  missed: z.enum(['run', 'skip']),
  source: z.enum(['url', 'file', 'list']),
  from: z.string().meta({ description: 'Where its recipients come from, as people read it.' }),
  perMinute: z.int().optional(),
  nextAt: z.iso.datetime().optional(),
  lastRun: ScheduleRun.optional(),
};

export const ScheduleSummary = z.strictObject(fields).meta({ id: 'ScheduleSummary' });
export const ScheduleView = z
  .strictObject({
    ...fields,
    next: z
      .array(z.strictObject({ at: z.iso.datetime(), skipped: z.boolean() }))
      .meta({ description: 'The next five times; none while it is paused.' }),
  })
  .meta({ id: 'Schedule' });
export const ScheduleList = z
  .strictObject({ edition: z.int().optional(), schedules: z.array(ScheduleSummary) })
  .meta({ id: 'ScheduleList' });

export const RunQuery = z.strictObject({ limit: Limit, cursor: IdCursor });
export const RunList = z.strictObject({ runs: z.array(ScheduleRun), nextCursor: z.string().optional() }).meta({ id: 'ScheduleRuns' });

export const RunNow = z
  .strictObject({ first: z.int().min(1).optional().meta({ description: 'Only so many of the first recipients: a test run.' }) })
  .meta({ id: 'ScheduleRunNow' });
export const Skip = z
  .strictObject({ at: Time.optional().meta({ description: 'One of the next five times; the next, when left out.' }) })
  .meta({ id: 'ScheduleSkip' });
export const Unskip = z.strictObject({ at: Time.meta({ description: 'One of the next five times.' }) }).meta({ id: 'ScheduleUnskip' });
