import { percentile } from '@verbalis/core/events';
import type * as z from 'zod';
import { instant, invalid } from '../../kernel/index.js';
import type { Counts, Figures, FiguresQuery } from './model.js';
import type { FigureRow } from './queries.js';
import type { Store } from './store.js';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
const MOST_DAYS = 400;
/** Periods up to this long are shown by the hour. */
const BY_THE_HOUR = 4 * DAY;
const MOST_VALUES = 200;
/** Measures beside the states, and their names in the API. */
const BESIDE: ReadonlyMap<string, 'imagesLoaded' | 'linksFollowed'> = new Map([
  ['image-loaded', 'imagesLoaded'],
  ['link-followed', 'linksFollowed'],
]);

type CountsView = z.input<typeof Counts>;
export type FiguresView = z.input<typeof Figures>;

function countsOf(rows: readonly FigureRow[]): CountsView {
  const states: Record<string, number> = {};
  const beside = { imagesLoaded: 0, linksFollowed: 0 };
  const spans = { accepted: new Map<number, number>(), delivered: new Map<number, number>() };
  for (const { measure, n } of rows) {
    const name = BESIDE.get(measure);
    const [, of, bucket] = /^to-(accepted|delivered):(\d+)$/.exec(measure) ?? [];
    if (of === 'accepted' || of === 'delivered') spans[of].set(Number(bucket), (spans[of].get(Number(bucket)) ?? 0) + n);
    else if (name !== undefined) beside[name] += n;
    else states[measure] = (states[measure] ?? 0) + n;
  }
  const times = (counts: ReadonlyMap<number, number>) => ({ median: percentile(counts, 0.5), p95: percentile(counts, 0.95) });
  return {
    created: Object.values(states).reduce((sum, n) => sum + n, 0),
    states,
    ...beside,
    toAccepted: times(spans.accepted),
    toDelivered: times(spans.delivered),
  };
}

type Wanted = z.output<typeof FiguresQuery> & { readonly now: number };

/** Whole hours or days (UTC), since counts are kept by them. @throws Refusal when the period is empty or too long */
function periodOf({ from, to, grain: given, now }: Wanted) {
  const wantedTo = to === undefined ? now : Date.parse(to);
  const wantedFrom = from === undefined ? wantedTo - 7 * DAY : Date.parse(from);
  if (wantedFrom >= wantedTo) throw invalid([{ path: 'from', message: 'is not before "to"' }]);
  if (wantedTo - wantedFrom > MOST_DAYS * DAY) throw invalid([{ path: 'from', message: `is more than ${MOST_DAYS} days before "to"` }]);
  const grain = given ?? (wantedTo - wantedFrom <= BY_THE_HOUR ? 'hour' : 'day');
  const step = grain === 'hour' ? HOUR : DAY;
  return { grain, step, from: Math.floor(wantedFrom / step) * step, to: Math.ceil(wantedTo / step) * step };
}

function valuesOf(rows: readonly FigureRow[]): { value: string; counts: CountsView }[] {
  const byValue = new Map<string, FigureRow[]>();
  for (const row of rows) {
    const own = byValue.get(row.value) ?? [];
    own.push(row);
    byValue.set(row.value, own);
  }
  return [...byValue]
    .map(([value, own]) => ({ value, counts: countsOf(own) }))
    .filter(({ counts }) => counts.created > 0)
    .sort((a, b) => b.counts.created - a.counts.created)
    .slice(0, MOST_VALUES);
}

/** The figures of a period, the same for as long a period before, and by a dimension where one is named. @throws Refusal */
export function figuresOf({ figures }: Store, space: string, wanted: Wanted): FiguresView {
  const { grain, step, from, to } = periodOf(wanted);
  const rows = figures.overTime(space, grain, from, to);
  const series = new Map<number, Record<string, number>>();
  for (let at = from; at < to; at += step) series.set(at, {});
  for (const { at, measure, n } of rows) {
    const states = series.get(at);
    if (states !== undefined && !measure.startsWith('to-') && !BESIDE.has(measure)) states[measure] = (states[measure] ?? 0) + n;
  }
  return {
    from: instant(from),
    to: instant(to),
    grain,
    total: countsOf(rows),
    before: countsOf(figures.overTime(space, grain, from - (to - from), from)),
    series: [...series].map(([at, states]) => ({ at: instant(at), states })),
    ...(wanted.by === undefined ? {} : { by: valuesOf(figures.byValue({ space, grain, dimension: wanted.by, from, to })) }),
  };
}
