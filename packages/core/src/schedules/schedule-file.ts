import { z } from 'zod';
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
const ScheduleFile = z.strictObject({
  starts: Text,
  timeZone: TimeZone.optional(),
  repeat: Text.optional(),
  missed: z.enum(['run', 'skip']).default('run'),
  template: Text,
  recipientSource: Source.refine((source) => Object.keys(source).length === 1, 'must be one of: { url: … }, { file: … }, { list: … }'),
  data: z.record(z.string(), z.unknown()).optional(),
  locale: Text.superRefine((tag, context) => {
    const fault = localeFault(tag);
    if (fault !== undefined) context.addIssue({ code: 'custom', message: fault });
  }).optional(),
  reference: Text.max(200).optional(),
  labels: z.record(Text.max(60), z.string().max(200)).optional(),
  perMinute: z.int().min(1).max(1_000_000).optional(),
  essential: z.boolean().default(false),
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
