import { EVENT_KINDS } from '@verbalis/core/events';
import * as z from 'zod';
import { Name } from '../../kernel/index.js';

const ClockTime = z.string().regex(/^(?:[01]\d|2[0-3]):[0-5]\d$/, 'must be a time of the day like "06:00"');
const TimeZone = z.string().max(60).refine(isTimeZone, 'is not a time zone of the IANA list').default('UTC');

function isTimeZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
}

/** A rule over what happens in the last minutes, as it is written down: in the configuration, or by people who look. */
const RuleFields = {
  of: z.array(z.enum(EVENT_KINDS)).min(1).default(['failed']).meta({ description: 'Kinds of events that it counts.' }),
  where: z
    .string()
    .max(4000)
    .default('')
    .meta({ description: 'Only these of them, and of the hand-overs they are compared with: a filter.' }),
  by: z
    .enum(['topic', 'template', 'provider', 'domain', 'cause'])
    .optional()
    .meta({ description: 'Each value of this field is looked at on its own.' }),
  percent: z
    .number()
    .positive()
    .max(100)
    .optional()
    .meta({ description: 'Fires above so many per cent of the hand-overs of the same minutes, …' }),
  count: z.int().positive().optional().meta({ description: '… or above so many events, …' }),
  queueSeconds: z.number().positive().optional().meta({ description: '… or when the oldest due mail has waited so long.' }),
  fewer: z.int().positive().optional().meta({ description: '… or below so many events: something is missing.' }),
  hours: z
    .strictObject({ from: ClockTime, to: ClockTime, timeZone: TimeZone })
    .optional()
    .meta({ description: 'With `fewer`: only within these hours of the day.' }),
  minutes: z.int().min(1).max(1440).default(15),
  least: z.int().min(1).default(5).meta({ description: 'No alert below so many events.' }),
};

const LIMITS = ['percent', 'count', 'queueSeconds', 'fewer'] as const;
type Limits = { readonly [name in (typeof LIMITS)[number]]?: number | undefined };

/** A rule has one limit. */
const hasOneLimit = [
  (rule: Limits): boolean => LIMITS.filter((name) => rule[name] !== undefined).length === 1,
  { message: 'needs one of percent, count, queueSeconds and fewer.' },
] as const;

/** What is missing has no value of a field. */
const missesOne = [
  ({ fewer, by, hours }: { readonly fewer?: unknown; readonly by?: unknown; readonly hours?: unknown }): boolean =>
    fewer === undefined ? hours === undefined : by === undefined,
  { message: 'cannot have "by" with "fewer", nor "hours" without it. Give one rule for each value, with "where".' },
] as const;

/** A rule of one space. */
export const WrittenRule = z
  .strictObject(RuleFields)
  .refine(...hasOneLimit)
  .refine(...missesOne);
export type WrittenRule = z.infer<typeof WrittenRule>;

/** Rules over what happens in the last minutes; when one holds, that is an event. */
export const AlertSettings = z
  .record(
    Name,
    z
      .strictObject({
        ...RuleFields,
        spaces: z.array(Name).optional().meta({ description: 'Spaces that it holds for; all that deliver, when none is named.' }),
      })
      .refine(...hasOneLimit)
      .refine(...missesOne),
  )
  .default({});
export type AlertSettings = z.infer<typeof AlertSettings>;
