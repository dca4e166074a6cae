import type { Schedule } from '@verbalis/core/schedules';
import type * as z from 'zod';
import {
  endpointsOf,
  instant,
  json,
  jsonBody,
  optionalInstant,
  optionalJsonBody,
  pageOf,
  Refusal,
  Reply,
  textParams,
  type Clock,
} from '../../kernel/index.js';
import type { Engine } from './engine.js';
import { RunList, RunNow, RunQuery, ScheduleList, ScheduleRun, ScheduleView, Skip, Unskip, type ScheduleSummary } from './model.js';
import type { RunRow, ScheduleRow } from './queries.js';
import type { Store } from './store.js';

export interface ScheduleEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly engine: Pick<Engine, 'current' | 'run' | 'skip' | 'unskip' | 'freeAfter' | 'wake'>;
}

const endpoint = endpointsOf<ScheduleEndpoints>();
/** Times that are shown before they come. */
const SHOWN = 5;

function runView({ id, plannedAt, at, state, isManual, why, bulkId }: RunRow): z.input<typeof ScheduleRun> {
  return {
    id,
    plannedAt: instant(plannedAt),
    at: instant(at),
    state,
    manual: isManual,
    why: why ?? undefined,
    bulkSend: bulkId ?? undefined,
  };
}

function fromText({ source }: Schedule): string {
  switch (source.kind) {
    case 'url':
      return source.url;
    case 'file':
      return source.path;
    case 'list':
      return `${source.list.length} ${source.list.length === 1 ? 'recipient' : 'recipients'} of the mail folder`;
  }
}

interface Found {
  readonly schedule: Schedule;
  readonly row: ScheduleRow;
}

function summary({ store }: ScheduleEndpoints, { schedule, row }: Found): z.input<typeof ScheduleSummary> {
  const { name, template, starts, timeZone, repeat, missed, source, perMinute } = schedule;
  // Those that are skipped ahead of their time are newer than what ran last.
  const last = store.schedules.runs(row.space, name, SHOWN + 1, undefined).find(({ plannedAt, at }) => plannedAt <= at);
  return {
    name,
    template,
    state: row.isPaused ? 'paused' : row.nextAt === null ? 'ended' : 'active',
    starts,
    timeZone,
    repeat,
    missed,
    source: source.kind,
    from: fromText(schedule),
    perMinute,
    nextAt: optionalInstant(row.nextAt),
    lastRun: last === undefined ? undefined : runView(last),
  };
}

/** The next times, with those that are skipped. */
function upcoming({ store, clock }: ScheduleEndpoints, { schedule, row }: Found): { at: number; isSkipped: boolean }[] {
  const times: { at: number; isSkipped: boolean }[] = [];
  if (row.isPaused) return times;
  let at: number | undefined = schedule.times.after(Math.min(clock.now(), (row.nextAt ?? Infinity) - 1));
  while (at !== undefined && times.length < SHOWN) {
    times.push({ at, isSkipped: store.schedules.runAt(row.space, schedule.name, at) !== undefined });
    at = schedule.times.after(at);
  }
  return times;
}

function view(deps: ScheduleEndpoints, found: Found): z.input<typeof ScheduleView> {
  return { ...summary(deps, found), next: upcoming(deps, found).map(({ at, isSkipped }) => ({ at: instant(at), skipped: isSkipped })) };
}

/** A schedule of the edition in use. @throws Refusal 404 */
async function find({ store, engine }: ScheduleEndpoints, space: string, name: string): Promise<Found> {
  const edition = await engine.current(space);
  const schedule = edition?.schedules().get(name);
  const row = store.schedules.find(space, name);
  if (schedule !== undefined && row !== undefined) return { schedule, row };
  throw new Refusal(404, 'unknown-schedule', 'There is no such schedule', {
    detail: `The edition in use in the space "${space}" has no "${name}".`,
    hint: 'It is a file of the mail folder: schedules/NAME.yaml.',
  });
}

const list = endpoint({
  name: 'schedules.list',
  method: 'get',
  path: '/v1/schedules',
  summary: 'The schedules of the edition in use',
  scope: 'read',
  answers: { 200: json('All of them.', ScheduleList) },
  async run({ caller: { space } }, deps) {
    const edition = await deps.engine.current(space);
    const rows = new Map(deps.store.schedules.list(space).map((row) => [row.name, row]));
    const schedules = [...(edition?.schedules().values() ?? [])].flatMap((schedule) => {
      const row = rows.get(schedule.name);
      return row === undefined ? [] : [summary(deps, { schedule, row })];
    });
    return { edition: edition?.number, schedules };
  },
});

const show = endpoint({
  name: 'schedules.get',
  method: 'get',
  path: '/v1/schedules/{name}',
  summary: 'One schedule, and its next times',
  scope: 'read',
  params: textParams('name'),
  answers: { 200: json('The schedule.', ScheduleView) },
  refusals: { 404: 'There is no such schedule.' },
  run: async ({ caller: { space }, params: { name } }, deps) => view(deps, await find(deps, space, name)),
});

const runs = endpoint({
  name: 'schedules.runs',
  method: 'get',
  path: '/v1/schedules/{name}/runs',
  summary: 'Past times of a schedule with their results, newest first',
  description: 'Also of one that is no longer in the mail folder.',
  scope: 'read',
  params: textParams('name'),
  query: RunQuery,
  answers: { 200: json('A page.', RunList) },
  run({ caller: { space }, params: { name }, query: { limit, cursor } }, { store }) {
    const page = pageOf(store.schedules.runs(space, name, limit + 1, cursor), limit, ({ id }) => id);
    return { runs: page.rows.map(runView), nextCursor: page.nextCursor };
  },
});

const runNow = endpoint({
  name: 'schedules.run',
  method: 'post',
  path: '/v1/schedules/{name}/run',
  summary: 'Run a schedule now, out of turn',
  description: 'Its planned times stay as they are. The recipients get one more message each: nothing knows whether they have had it.',
  scope: 'send',
  params: textParams('name'),
  body: optionalJsonBody(RunNow),
  answers: { 202: json('It has begun.', ScheduleRun) },
  refusals: { 404: 'There is no such schedule.', 422: 'Its template cannot be sent to many, or its file is not right.' },
  async run({ caller: { space, key }, params: { name }, body: { first } }, deps) {
    const { schedule } = await find(deps, space, name);
    return new Reply(runView(await deps.engine.run(space, schedule, { first, keyId: key?.id })), { status: 202 });
  },
});

const skip = endpoint({
  name: 'schedules.skip',
  method: 'post',
  path: '/v1/schedules/{name}/skip',
  summary: 'Skip a time of a schedule',
  scope: 'send',
  params: textParams('name'),
  body: optionalJsonBody(Skip),
  answers: { 200: json('The schedule.', ScheduleView) },
  refusals: { 404: 'There is no such schedule.', 409: 'It has no next time.', 422: 'It is not one of the next five times.' },
  async run({ caller: { space }, params: { name }, body: { at: wanted } }, deps) {
    const { schedule, row } = await find(deps, space, name);
    if (row.nextAt === null)
      throw new Refusal(409, 'schedule-state', 'This schedule has no next time', {
        detail: row.isPaused ? 'It is paused.' : 'It has ended.',
      });
    const plannedAt = wanted === undefined ? row.nextAt : Date.parse(wanted);
    const times = upcoming(deps, { schedule, row });
    if (!times.some(({ at }) => at === plannedAt)) throw notNext(schedule, plannedAt, times);
    await deps.engine.skip(space, schedule, plannedAt);
    return view(deps, await find(deps, space, name));
  },
});

function notNext({ name }: Schedule, at: number, times: readonly { readonly at: number }[]): Refusal {
  return new Refusal(422, 'schedule-time', 'This is not one of its next times', {
    detail: `"${name}" does not run at ${instant(at)}.`,
    hint: `Its next times: ${times.map((time) => instant(time.at)).join(', ') || 'none'}.`,
  });
}

const unskip = endpoint({
  name: 'schedules.unskip',
  method: 'post',
  path: '/v1/schedules/{name}/unskip',
  summary: 'Take back that a time of a schedule is skipped',
  scope: 'send',
  params: textParams('name'),
  body: jsonBody(Unskip),
  answers: { 200: json('The schedule.', ScheduleView) },
  refusals: { 404: 'There is no such schedule.', 409: 'It is paused.', 422: 'It is not one of the next five times.' },
  isRepeatable: true,
  async run({ caller: { space }, params: { name }, body: { at } }, deps) {
    const { schedule, row } = await find(deps, space, name);
    if (row.isPaused) throw new Refusal(409, 'schedule-state', 'This schedule has no next time', { detail: 'It is paused.' });
    const plannedAt = Date.parse(at);
    const times = upcoming(deps, { schedule, row });
    if (!times.some((time) => time.at === plannedAt)) throw notNext(schedule, plannedAt, times);
    await deps.engine.unskip(space, schedule, plannedAt);
    return view(deps, await find(deps, space, name));
  },
});

/** Pauses a schedule, or lets it go on with its next time from now. */
async function setPaused(deps: ScheduleEndpoints, space: string, name: string, isPaused: boolean): Promise<z.input<typeof ScheduleView>> {
  const { store, clock, engine } = deps;
  const { schedule } = await find(deps, space, name);
  await store.write((tx) => {
    const current = store.schedules.find(space, name, tx);
    if (current === undefined || current.isPaused === isPaused) return;
    const nextAt = isPaused ? null : (engine.freeAfter(space, schedule, clock.now(), tx) ?? null);
    store.schedules.put(tx, { ...current, isPaused, nextAt });
    tx.afterCommit(engine.wake);
  });
  return view(deps, await find(deps, space, name));
}

const pause = endpoint({
  name: 'schedules.pause',
  method: 'post',
  path: '/v1/schedules/{name}/pause',
  summary: 'Run a schedule no more, until it is resumed',
  description: 'A run that has begun goes on; it is a bulk send, and can be paused as one. Times that pass until then are skipped.',
  scope: 'send',
  params: textParams('name'),
  answers: { 200: json('The schedule.', ScheduleView) },
  refusals: { 404: 'There is no such schedule.' },
  isRepeatable: true,
  run: ({ caller: { space }, params: { name } }, deps) => setPaused(deps, space, name, true),
});

const resume = endpoint({
  name: 'schedules.resume',
  method: 'post',
  path: '/v1/schedules/{name}/resume',
  summary: 'Run a schedule again, from its next time on',
  scope: 'send',
  params: textParams('name'),
  answers: { 200: json('The schedule.', ScheduleView) },
  refusals: { 404: 'There is no such schedule.' },
  isRepeatable: true,
  run: ({ caller: { space }, params: { name } }, deps) => setPaused(deps, space, name, false),
});

/** One template to many, at times that come again. */
export const scheduleEndpoints = [list, show, runs, runNow, skip, unskip, pause, resume];
