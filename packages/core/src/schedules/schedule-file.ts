import * as z from 'zod';
import { readYamlFile, TimeZone, type SourceFile, type YamlFile } from '../folder/index.js';
import { didYouMean, type Problem } from '../problems/index.js';
import { localeFault } from '../strings/index.js';

const Text = z.string().min(1);

const Source = z.strictObject({
  url: z
    .url({ protocol: /^https?$/, error: 'must be an http or https address' })
    .max(2000)
    .optional(),
  file: Text.optional(),
  list: z.array(z.unknown()).min(1).max(1000).optional(),
});

/** What `schedules/NAME.yaml` holds. */
export const ScheduleFile = z.strictObject({
  starts: Text.meta({ description: 'The first time, as a local time of its zone: 2026-12-02T07:30.' }),
  timeZone: TimeZone.optional().meta({ description: 'IANA time zone; that of mail.yaml when left out.' }),
  repeat: Text.optional().meta({ description: 'A recurrence rule (RFC 5545), such as FREQ=WEEKLY;BYDAY=WE; once when left out.' }),
  missed: z.enum(['run', 'skip']).default('run').meta({ description: 'What happens to a time at which the service was not running.' }),
  template: Text.meta({ description: 'The name of the template.' }),
  recipientSource: Source.refine((source) => Object.keys(source).length === 1, 'must be one of: { url: … }, { file: … }, { list: … }').meta(
    { description: 'Who gets it: an address of the app, a file, or a list.' },
  ),
  data: z.record(z.string(), z.unknown()).optional().meta({ description: 'Data for all recipients; that of a recipient goes before.' }),
  locale: Text.superRefine((tag, context) => {
    const fault = localeFault(tag);
    if (fault !== undefined) context.addIssue({ code: 'custom', message: fault });
  })
    .optional()
    .meta({ description: 'The language, where the recipient has none (BCP 47 tag).' }),
  reference: Text.max(200).optional().meta({ description: 'What the app calls it, to find it again.' }),
  labels: z.record(Text.max(60), z.string().max(200)).optional().meta({ description: 'Names and values of the app, to filter by.' }),
  perMinute: z.int().min(1).max(1_000_000).optional().meta({ description: 'How many are sent in a minute.' }),
  essential: z.boolean().default(false).meta({ description: 'Whether it may be of an essential topic, which recipients cannot leave.' }),
});
export type ScheduleFile = z.infer<typeof ScheduleFile>;

/** Reads a schedule, without what needs the rest of the folder. @returns undefined when it cannot be used */
export function readScheduleFile(source: SourceFile, problems: Problem[]): YamlFile<ScheduleFile> | undefined {
  const unknown = (key: string, at: readonly PropertyKey[]) => {
    const hint = didYouMean(key, Object.keys(at.length === 0 ? ScheduleFile.shape : Source.shape));
    const where = at.length === 0 ? 'A schedule' : `"${at.map(String).join('.')}"`;
    return { code: 'schedule-unknown', message: `${where} has no "${key}".`, ...(hint === undefined ? {} : { hint }) };
  };
  return readYamlFile(ScheduleFile, source, { unknown, code: 'schedule' }, problems);
}
