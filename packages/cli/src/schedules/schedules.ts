import type { Client, ScheduleRun, ScheduleSummary, ScheduleView } from '@verbalis/client';
import { showBulk } from '../bulk-sends/bulk-sends.js';
import { tableText, type ExitCode, type Output } from '../output.js';

export interface ShowOptions {
  readonly limit?: string;
  readonly cursor?: string;
  readonly json?: boolean;
}
export interface RunOptions {
  readonly first?: string;
  readonly wait?: boolean;
  readonly json?: boolean;
}
interface Json {
  readonly json?: boolean;
}

const RUNS = 10;
const STATE_SIGNS: Readonly<Record<ScheduleSummary['state'], readonly [string, 'green' | 'yellow' | 'dim']>> = {
  active: ['●', 'green'],
  paused: ['‖', 'yellow'],
  ended: ['–', 'dim'],
};
const RUN_SIGNS: Readonly<Record<ScheduleRun['state'], readonly [string, 'green' | 'dim' | 'red']>> = {
  started: ['●', 'green'],
  skipped: ['–', 'dim'],
  failed: ['✗', 'red'],
};

const stateText = (state: ScheduleSummary['state'], color: Output['color']): string =>
  color[STATE_SIGNS[state][1]](`${STATE_SIGNS[state][0]} ${state}`);
const runText = (state: ScheduleRun['state'], color: Output['color']): string =>
  color[RUN_SIGNS[state][1]](`${RUN_SIGNS[state][0]} ${state}`);

/** A time as a clock in the schedule's zone shows it: "Fri 2026-12-04 05:00". */
function zoneTime(iso: string, timeZone: string): string {
  const parts = new Intl.DateTimeFormat('en-CA', {
    timeZone,
    weekday: 'short',
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  }).formatToParts(new Date(iso));
  const part = (type: string): string => parts.find((found) => found.type === type)?.value.replace(/\.$/, '') ?? '';
  return `${part('weekday')} ${part('year')}-${part('month')}-${part('day')} ${part('hour')}:${part('minute')}`;
}

function runsText(runs: readonly ScheduleRun[], timeZone: string, color: Output['color']): string {
  return tableText(
    [{ title: 'planned' }, { title: 'run' }, { title: 'bulk send' }, { title: '' }],
    runs.map(({ plannedAt, state, manual, bulkSend = '', why }) => [
      zoneTime(plannedAt, timeZone),
      runText(state, color),
      color.dim(bulkSend),
      why ?? (manual ? 'out of turn' : ''),
    ]),
    color,
  );
}

function viewText(
  { name, template, state, timeZone, starts, repeat, missed, from, perMinute, next }: ScheduleView,
  color: Output['color'],
): string {
  const rate = perMinute === undefined ? '' : `, ${perMinute} a minute`;
  const made = missed === 'run' ? 'a run that was missed is made up for' : 'a run that was missed is skipped';
  const lines = [
    `${color.bold(name)}  ${stateText(state, color)}`,
    `  ${template} to ${from}${rate}`,
    `  ${repeat ?? 'once'}, from ${starts} in ${timeZone}; ${made}`,
  ];
  if (next.length > 0) lines.push('', `  Next, by the clock of ${timeZone}:`);
  for (const { at, skipped } of next) lines.push(`    ${zoneTime(at, timeZone)}${skipped ? color.dim('  skipped') : ''}`);
  return lines.join('\n');
}

/** Lists the schedules of the edition in use. */
export async function listSchedules(client: Client, { json = false }: Json, output: Output): Promise<ExitCode> {
  const { schedules, edition } = await client.schedules.list();
  if (json) {
    output.json({ edition, schedules });
    return 0;
  }
  if (schedules.length === 0) output.note('The edition in use has no schedules. They are files of the mail folder: schedules/NAME.yaml.');
  else
    output.out(
      tableText(
        [
          { title: 'schedule' },
          { title: 'state' },
          { title: 'next' },
          { title: 'time zone' },
          { title: 'last run' },
          { title: 'template' },
        ],
        schedules.map(({ name, state, nextAt, timeZone, lastRun, template }) => [
          name,
          stateText(state, output.color),
          nextAt === undefined ? '' : zoneTime(nextAt, timeZone),
          timeZone,
          lastRun === undefined ? '' : `${runText(lastRun.state, output.color)} ${zoneTime(lastRun.plannedAt, timeZone)}`,
          template,
        ]),
        output.color,
      ),
    );
  return 0;
}

export async function showSchedule(
  client: Client,
  name: string,
  { limit, cursor, json = false }: ShowOptions,
  output: Output,
): Promise<ExitCode> {
  const schedule = await client.schedules.get(name);
  const page = await client.schedules.runs(name, {
    limit: limit === undefined ? RUNS : Number(limit),
    ...(cursor === undefined ? {} : { cursor }),
  });
  if (json) {
    output.json({ ...schedule, ...page });
    return 0;
  }
  output.out(viewText(schedule, output.color));
  output.out('');
  if (page.runs.length === 0) output.note('It has not run yet.');
  else output.out(runsText(page.runs, schedule.timeZone, output.color));
  if (page.nextCursor !== undefined) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

/** Runs a schedule now. Exits with 1 if it was waited for and failed or was canceled. */
export async function runSchedule(
  client: Client,
  name: string,
  { first, wait = false, json = false }: RunOptions,
  output: Output,
): Promise<ExitCode> {
  const started = await client.schedules.run(name, first === undefined ? {} : { first: Number(first) });
  if (wait && started.bulkSend !== undefined) return showBulk(client, started.bulkSend, { wait, json }, output);
  if (json) output.json(started);
  else output.out(`${name} runs as ${started.bulkSend ?? ''}. See: verbalis bulk-sends show ${started.bulkSend ?? ''}`);
  return 0;
}

export async function skipTime(client: Client, name: string, { at }: { at?: string }, output: Output): Promise<ExitCode> {
  const schedule = await client.schedules.skip(name, at === undefined ? {} : { at });
  output.result(schedule, viewText(schedule, output.color));
  return 0;
}

export async function unskipTime(client: Client, name: string, at: string, output: Output): Promise<ExitCode> {
  const schedule = await client.schedules.unskip(name, { at });
  output.result(schedule, viewText(schedule, output.color));
  return 0;
}

export async function moveSchedule(
  client: Client,
  { name, action }: { readonly name: string; readonly action: 'pause' | 'resume' },
  output: Output,
): Promise<ExitCode> {
  const schedule = await client.schedules[action](name);
  output.result(schedule, viewText(schedule, output.color));
  return 0;
}
