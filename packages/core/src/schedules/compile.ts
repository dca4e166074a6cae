import { UNSUBSCRIBE } from '../check/index.js';
import { pathFrom, type MailProject, type SourceFile, type TemplateFiles, type YamlFile } from '../folder/index.js';
import { isFault, parseMailbox } from '../mime/index.js';
import { didYouMean, inReadingOrder, problem, SourceText, type Place, type Problem } from '../problems/index.js';
import type { CompiledTemplate } from '../program/index.js';
import { readTimes } from './recurrence.js';
import { readScheduleFile, type ScheduleFile } from './schedule-file.js';
import type { RecipientSource, Schedule } from './schedule.js';

export interface CompiledSchedules {
  /** By name; one that has mistakes is not there. */
  readonly schedules: ReadonlyMap<string, Schedule>;
  readonly problems: readonly Problem[];
}

const NAME = /^[a-z0-9][a-z0-9-]*$/;
const MOST_SCHEDULES = 100;
/** Faults of recipients that are reported of one schedule: more help nobody. */
const MOST_FAULTS = 20;

interface Reading {
  readonly project: MailProject;
  readonly file: YamlFile<ScheduleFile>;
  readonly problems: Problem[];
}

/**
 * Reads the schedules of a mail folder, and holds them against its templates.
 * @param compiledOf the templates, where they were compiled: whether one can be unsubscribed from is known only then
 */
export function compileSchedules(
  project: MailProject,
  compiledOf: (name: string) => Pick<CompiledTemplate, 'topic' | 'programs'> | undefined = () => undefined,
): CompiledSchedules {
  const problems: Problem[] = [];
  const schedules = new Map<string, Schedule>();
  if (project.schedules.size > MOST_SCHEDULES)
    problems.push(
      problem(
        'too-many-schedules',
        new SourceText('schedules', '').whole,
        `This mail folder has ${project.schedules.size} schedules; ${MOST_SCHEDULES} are allowed.`,
      ),
    );
  for (const [name, source] of [...project.schedules].sort(([a], [b]) => (a < b ? -1 : 1)).slice(0, MOST_SCHEDULES)) {
    const own: Problem[] = [];
    const schedule = compileSchedule(project, name, { source, compiledOf, problems: own });
    problems.push(...own);
    if (schedule !== undefined && !own.some(({ severity }) => severity === 'error')) schedules.set(name, schedule);
  }
  return { schedules, problems: inReadingOrder(problems) };
}

interface Options {
  readonly source: SourceFile;
  readonly compiledOf: NonNullable<Parameters<typeof compileSchedules>[1]>;
  readonly problems: Problem[];
}

function compileSchedule(project: MailProject, name: string, { source, compiledOf, problems }: Options): Schedule | undefined {
  if (!NAME.test(name))
    problems.push(
      problem(
        'schedule-name',
        new SourceText(source.file, '').whole,
        `"${name}" is not a valid name of a schedule.`,
        'Use small letters, digits and "-".',
      ),
    );
  const file = readScheduleFile(source, problems);
  if (file === undefined) return undefined;
  const { starts, timeZone = project.settings.timeZone, repeat, missed, template, essential, perMinute } = file.content;
  const { data, locale, reference, labels } = file.content;
  const times = readTimes({ starts, timeZone, repeat });
  if ('fault' in times) {
    const code = times.fault === 'never occurs' ? 'schedule-never' : 'schedule-times';
    const written = times.part === 'starts' ? starts : (repeat ?? '');
    problems.push(problem(code, file.valueAt([times.part]), `"${written}" ${times.fault}.`, times.hint));
  }
  const files = project.templates.get(template);
  if (files === undefined)
    problems.push(
      problem(
        'unknown-template',
        file.valueAt(['template']),
        `There is no template "${template}".`,
        didYouMean(template, project.templates.keys()),
      ),
    );
  else {
    topicFaults({ project, file, problems }, compiledOf(template));
    sensitiveFaults({ project, file, problems }, files);
  }
  const recipients = recipientsOf({ project, file, problems }, files);
  if ('fault' in times || recipients === undefined) return undefined;
  return {
    name,
    file: source.file,
    starts,
    timeZone,
    repeat,
    times,
    missed,
    template,
    source: recipients,
    essential,
    perMinute,
    common: {
      ...(data === undefined ? {} : { data }),
      ...(locale === undefined ? {} : { locale }),
      ...(reference === undefined ? {} : { reference }),
      ...(labels === undefined ? {} : { labels }),
    },
  };
}

/** What is sent to many on a schedule must belong to a topic that people can leave, and show how; or be marked as essential. */
function topicFaults({ project, file, problems }: Reading, compiled: Pick<CompiledTemplate, 'topic' | 'programs'> | undefined): void {
  if (compiled === undefined || compiled.programs.size === 0) return;
  const { template, essential } = file.content;
  const isOptional = project.settings.topics[compiled.topic ?? '']?.purpose === 'optional';
  if (!isOptional && !essential)
    problems.push(
      problem(
        'schedule-essential',
        file.valueAt(['template']),
        `Recipients cannot unsubscribe from "${template}": it is of no optional topic.`,
        'Give it an optional topic of mail.yaml, or write "essential: true" where everybody must get it.',
      ),
    );
  if (isOptional && essential)
    problems.push(
      problem(
        'schedule-essential',
        file.valueAt(['essential']),
        `"essential" is not true: the topic "${compiled.topic ?? ''}" of "${template}" is optional.`,
        'Leave it out.',
      ),
    );
  if (!isOptional) return;
  const without = [...compiled.programs].filter(([, { html }]) => !unsubscribes(html)).map(([locale]) => locale);
  if (without.length > 0)
    problems.push(
      problem(
        'schedule-unsubscribe',
        file.valueAt(['template']),
        `"${template}" shows no way to unsubscribe${without.length < compiled.programs.size ? ` in ${without.join(', ')}` : ''}, and its topic is optional.`,
        'Link to {{ mail.unsubscribe }}, with words such as "Unsubscribe".',
      ),
    );
}

/** Whether operations of a program put a way to unsubscribe somewhere. */
function unsubscribes(part: unknown): boolean {
  if (typeof part === 'string') return UNSUBSCRIBE.test(part);
  if (typeof part !== 'object' || part === null) return false;
  const { k, root, steps } = part as { readonly k?: unknown; readonly root?: unknown; readonly steps?: readonly unknown[] };
  if (k === 'path' && root === 'mail' && steps?.[0] === 'unsubscribe') return true;
  return Object.values(part).some(unsubscribes);
}

function recipientsOf(reading: Reading, template: TemplateFiles | undefined): RecipientSource | undefined {
  const { project, file, problems } = reading;
  const { url, file: written, list } = file.content.recipientSource;
  if (url !== undefined) {
    commonFaults(reading, template);
    return { kind: 'url', url };
  }
  if (list !== undefined) {
    const places = list.map((_, i) => file.valueAt(['recipientSource', 'list', i]));
    const keyed = list.map((recipient) => (typeof recipient === 'string' ? { to: recipient } : recipient));
    rowFaults(reading, template, keyed, (i) => places[i] ?? file.valueAt(['recipientSource', 'list']));
    return { kind: 'list', list: keyed };
  }
  const path = pathFrom('schedules', written ?? '');
  const place = file.valueAt(['recipientSource', 'file']);
  const format = /\.(csv|ndjson)$/.exec(path)?.[1] as 'csv' | 'ndjson' | undefined;
  const bytes = /^schedules\/recipients\/[^/]+$/.test(path) ? project.linked.files.get(path) : undefined;
  if (bytes === undefined || format === undefined) {
    const there = [...project.linked.files.keys()].filter((known) => /^schedules\/recipients\//.test(known));
    problems.push(
      problem(
        'schedule-recipients',
        place,
        format === undefined ? `"${written ?? ''}" is neither a .csv nor a .ndjson file.` : `There is no file "${written ?? ''}".`,
        didYouMean(path, there) ?? 'Files of recipients are in schedules/recipients/: recipients/NAME.csv.',
      ),
    );
    return undefined;
  }
  if (format === 'ndjson') lineFaults(reading, template, new SourceText(path, new TextDecoder().decode(bytes)));
  else commonFaults(reading, template);
  return { kind: 'file', path, format };
}

/** The data of a schedule are kept as they are. */
function sensitiveFaults({ file, problems }: Reading, { name, masking }: TemplateFiles): void {
  if (masking === undefined) return;
  problems.push(
    problem(
      'sensitive-schedule',
      file.valueAt(['template']),
      `The template "${name}" has sensitive data, and the data of a schedule are kept as they are.`,
      'Send it with POST /v1/messages, or by a signal.',
    ),
  );
}

/** What is wrong with the data that all have in common, where recipients bring the rest. */
function commonFaults({ file, problems }: Reading, template: TemplateFiles | undefined): void {
  const { data } = file.content;
  if (data === undefined) return;
  for (const { path, message, hint } of template?.checkData(data).filter(({ message }) => message !== 'is missing') ?? [])
    problems.push(
      problem('schedule-data', file.valueAt(['data', ...path.split(/[.[\]]+/).filter(Boolean)]), `"data.${path}" ${message}.`, hint),
    );
}

function lineFaults(reading: Reading, template: TemplateFiles | undefined, source: SourceText): void {
  const rows: unknown[] = [];
  const places: Place[] = [];
  let at = 0;
  for (const line of source.text.split('\n')) {
    const place = source.place(at, Math.max(1, line.length));
    at += line.length + 1;
    if (line.trim() === '') continue;
    try {
      rows.push(JSON.parse(line));
      places.push(place);
    } catch {
      reading.problems.push(problem('json', place, 'This line is not valid JSON.', '{"to": "name@host.example", "data": {…}}'));
      if (reading.problems.length >= MOST_FAULTS) return;
    }
  }
  rowFaults(reading, template, rows, (i) => places[i] ?? source.whole);
}

/** What is wrong with recipients that are written down. */
function rowFaults(
  { file, problems }: Reading,
  template: TemplateFiles | undefined,
  rows: readonly unknown[],
  placeOf: (i: number) => Place,
): void {
  for (const [i, row] of rows.entries()) {
    if (problems.length >= MOST_FAULTS) return;
    const { to, data } = (typeof row === 'object' && row !== null ? row : {}) as { readonly to?: unknown; readonly data?: object };
    const address = typeof to === 'string' ? to : (to as { readonly address?: unknown } | undefined)?.address;
    if (typeof address !== 'string') {
      problems.push(problem('schedule-recipients', placeOf(i), 'This recipient has no "to".', '{ to: name@host.example, data: {…} }'));
      continue;
    }
    const mailbox = parseMailbox(address);
    if (isFault(mailbox)) problems.push(problem('schedule-recipients', placeOf(i), `"to" ${mailbox.fault}.`, mailbox.hint));
    for (const { path, message, hint } of template?.checkData({ ...file.content.data, ...data }).slice(0, MOST_FAULTS) ?? [])
      problems.push(problem('schedule-data', placeOf(i), `"data${path === '' ? '' : '.'}${path}" of ${address} ${message}.`, hint));
  }
}
