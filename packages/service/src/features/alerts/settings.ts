import { EVENT_KINDS } from '@verbalis/core/events';
import { z } from 'zod';
import { Name } from '../../kernel/index.js';

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
  minutes: z.int().min(1).max(1440).default(15),
  least: z.int().min(1).default(5).meta({ description: 'Says nothing below so many events.' }),
};

type Limits = { readonly [name in 'percent' | 'count' | 'queueSeconds']?: number | undefined };

/** A rule has one limit. */
const hasOneLimit = [
  ({ percent, count, queueSeconds }: Limits): boolean => [percent, count, queueSeconds].filter((value) => value !== undefined).length === 1,
  { message: 'needs one of percent, count and queueSeconds.' },
] as const;

/** A rule of one space. */
export const WrittenRule = z.strictObject(RuleFields).refine(...hasOneLimit);
export type WrittenRule = z.infer<typeof WrittenRule>;

/** Rules over what happens in the last minutes; when one holds, that is an event. */
export const AlertSettings = z
  .record(
    Name,
    z
      .strictObject({
        ...RuleFields,
        /** Spaces that it holds for; all that deliver, when none is named. */
        spaces: z.array(Name).optional(),
      })
      .refine(...hasOneLimit),
  )
  .default({});
export type AlertSettings = z.infer<typeof AlertSettings>;
