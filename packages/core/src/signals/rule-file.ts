import * as z from 'zod';
import { readYamlFile, type SourceFile, type YamlFile } from '../folder/index.js';
import { didYouMean, type Problem } from '../problems/index.js';
import { durationMs } from './durations.js';

const YEAR = 366 * 86_400_000;

/** A length of time, in milliseconds. */
const Duration = z.string().transform((text, context): number => {
  const ms = durationMs(text);
  if (ms !== undefined && ms > 0 && ms <= YEAR) return ms;
  context.addIssue({ code: 'custom', message: 'must be a duration such as PT10M, PT1H or P1D, of a year at most' });
  return z.NEVER;
});
/** The type of a signal (CloudEvents 1.0, 3.1.1: "type"). */
const SignalType = z.string().regex(/^[A-Za-z0-9][\w.:/-]{0,199}$/, 'must be a type such as "booking.paid"');
const Text = z.string().min(1);

const SendPart = z.strictObject({
  template: Text.meta({ description: 'The name of the template.' }),
  to: z
    .unknown()
    .refine((to) => to !== undefined, 'is missing')
    .meta({ description: 'Who gets it: an address, `{ name, address }`, or a list; expressions are allowed.' }),
  cc: z.unknown().optional(),
  replyTo: z.unknown().optional(),
  locale: Text.optional().meta({ description: 'BCP 47 tag.' }),
  timeZone: Text.optional().meta({ description: 'IANA time zone.' }),
  reference: Text.optional().meta({ description: 'What the app calls it, to find it again.' }),
  labels: z.record(Text, z.string()).optional(),
  data: z.unknown().optional().meta({ description: 'The data of the template; texts may hold {{ data.path }} of the signal.' }),
});
const CombinePart = z.strictObject({ within: Duration, by: Text });
const AtMostPart = z.strictObject({ count: z.int().min(1).max(1000), within: Duration });

/** What `signals/NAME.yaml` holds. */
export const RuleFile = z
  .strictObject({
    on: SignalType.meta({ description: 'The type of the signals that it is about.' }),
    data: Text.meta({ description: 'The data schema of these signals, from this file.' }),
    when: Text.optional().meta({ description: 'A test; nothing is sent where it is false.' }),
    send: SendPart,
    after: Duration.optional().meta({ description: 'Wait so long (ISO 8601 duration).' }),
    unless: SignalType.optional().meta({ description: 'A signal of this type with the same key in the meantime cancels it.' }),
    key: Text.optional().meta({ description: 'An expression: by it the later signal is known to mean the same thing.' }),
    combine: CombinePart.optional().meta({ description: 'Signals within this time, by this expression, make one email.' }),
    atMost: AtMostPart.optional().meta({ description: 'So many emails for each recipient within this time.' }),
  })
  .superRefine(({ unless, key }, context) => {
    if (unless !== undefined && key === undefined)
      context.addIssue({
        code: 'custom',
        path: ['unless'],
        message: 'needs a "key": by it the later signal is known to mean the same thing',
      });
    if (unless === undefined && key !== undefined)
      context.addIssue({ code: 'custom', path: ['key'], message: 'has no use without "unless"' });
  });
export type RuleFile = z.infer<typeof RuleFile>;

const PARTS: Readonly<Record<string, readonly string[]>> = {
  '': Object.keys(RuleFile.shape),
  send: Object.keys(SendPart.shape),
  combine: Object.keys(CombinePart.shape),
  atMost: Object.keys(AtMostPart.shape),
};

/** Reads a rule, without what needs the rest of the folder. @returns undefined when it cannot be used */
export function readRuleFile(source: SourceFile, problems: Problem[]): YamlFile<RuleFile> | undefined {
  const unknown = (key: string, at: readonly PropertyKey[]) => {
    const hint = didYouMean(key, PARTS[at.map(String).join('.')] ?? []);
    const where = at.length === 0 ? 'A signal rule' : `"${at.map(String).join('.')}"`;
    return { code: 'rule-unknown', message: `${where} has no "${key}".`, ...(hint === undefined ? {} : { hint }) };
  };
  return readYamlFile(RuleFile, source, { unknown, code: 'rule' }, problems);
}
