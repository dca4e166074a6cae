import * as z from 'zod';
import { Name } from '../../kernel/index.js';
import { Kind } from '../events/index.js';

export const AlertView = z
  .strictObject({
    id: z.string(),
    rule: z.string(),
    group: z.string().optional(),
    since: z.iso.datetime(),
    resolvedAt: z.iso.datetime().optional(),
    value: z.number(),
    text: z.string().meta({ description: 'What was found when it began, in a sentence.' }),
  })
  .meta({ id: 'Alert' });
export const RuleParams = z.object({ name: Name });
export const AlertRuleView = z
  .strictObject({
    name: z.string(),
    from: z
      .enum(['configuration', 'service', 'built-in'])
      .meta({ description: 'Where it is written down; that of the configuration is changed there, and a built-in one cannot be.' }),
    of: z.array(Kind),
    where: z.string(),
    by: z.string().optional(),
    percent: z.number().optional(),
    count: z.int().optional(),
    queueSeconds: z.number().optional(),
    fewer: z.int().optional(),
    hours: z.strictObject({ from: z.string(), to: z.string(), timeZone: z.string() }).optional(),
    minutes: z.int(),
    least: z.int(),
  })
  .meta({ id: 'AlertRule' });
export const AlertList = z.strictObject({ alerts: z.array(AlertView), rules: z.array(AlertRuleView) }).meta({ id: 'AlertList' });
