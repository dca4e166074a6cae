import { spanAt } from '@verbalis/core/events';
import { stringify } from 'csv-stringify/sync';
import { Router, type Request } from 'express';
import type { z } from 'zod';
import type { Clock } from '../kernel/index.js';
import { invalid } from '../refusal.js';
import type { FigureRow, Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { FiguresQuery, type Counts, type Figures } from './tracking-schemas.js';

export interface FiguresOptions {
  readonly store: Store;
  readonly clock: Clock;
}

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
const MOST_DAYS = 400;
/** Up to so long a time is told by the hour. */
const BY_THE_HOUR = 4 * DAY;
const MOST_VALUES = 200;
const BESIDE = new Set(['opened', 'clicked']);

type CountsView = z.input<typeof Counts>;

function countsOf(rows: readonly FigureRow[]): CountsView {
  const states: Record<string, number> = {};
  const beside = { opened: 0, clicked: 0 };
  const spans = { accepted: new Map<number, number>(), delivered: new Map<number, number>() };
  for (const { measure, n } of rows) {
    const [, of, bucket] = /^to-(accepted|delivered):(\d+)$/.exec(measure) ?? [];
    if (of === 'accepted' || of === 'delivered') spans[of].set(Number(bucket), (spans[of].get(Number(bucket)) ?? 0) + n);
    else if (BESIDE.has(measure)) beside[measure as 'opened'] += n;
    else states[measure] = (states[measure] ?? 0) + n;
  }
  const times = (counts: ReadonlyMap<number, number>) => ({ median: spanAt(counts, 0.5), p95: spanAt(counts, 0.95) });
  return {
    asked: Object.values(states).reduce((sum, n) => sum + n, 0),
    states,
    ...beside,
    toAccepted: times(spans.accepted),
    toDelivered: times(spans.delivered),
  };
}

/** How many, what became of them, how long it took: over time and by what they are. */
export function figuresRouter({ store, clock }: FiguresOptions): Router {
  const router = Router();

  const figures = (request: Request): z.input<typeof Figures> => {
    const query = parse(FiguresQuery, request.query);
    const { space } = callerOf(request);
    const now = clock.now();
    const wantedTo = query.to === undefined ? now : Date.parse(query.to);
    const wantedFrom = query.from === undefined ? wantedTo - 7 * DAY : Date.parse(query.from);
    if (wantedFrom >= wantedTo) throw invalid([{ path: 'from', message: 'is not before "to".' }]);
    if (wantedTo - wantedFrom > MOST_DAYS * DAY) throw invalid([{ path: 'from', message: `is more than ${MOST_DAYS} days before "to".` }]);
    const grain = query.grain ?? (wantedTo - wantedFrom <= BY_THE_HOUR ? 'hour' : 'day');
    const step = grain === 'hour' ? HOUR : DAY;
    // Whole hours or days (UTC): counts are kept by them.
    const from = Math.floor(wantedFrom / step) * step;
    const to = Math.ceil(wantedTo / step) * step;
    const rows = store.figures.overTime(space, grain, from, to);
    const series = new Map<number, Record<string, number>>();
    for (let at = from; at < to; at += step) series.set(at, {});
    for (const { at, measure, n } of rows) {
      const states = series.get(at);
      if (states !== undefined && !measure.startsWith('to-') && !BESIDE.has(measure)) states[measure] = (states[measure] ?? 0) + n;
    }
    const by = query.by;
    const byValue = new Map<string, FigureRow[]>();
    if (by !== undefined)
      for (const row of store.figures.byValue(space, grain, by, from, to)) byValue.set(row.value, [...(byValue.get(row.value) ?? []), row]);
    return {
      from: new Date(from).toISOString(),
      to: new Date(to).toISOString(),
      grain,
      total: countsOf(rows),
      before: countsOf(store.figures.overTime(space, grain, from - (to - from), from)),
      series: [...series].map(([at, states]) => ({ at: new Date(at).toISOString(), states })),
      ...(by === undefined
        ? {}
        : {
            by: [...byValue]
              .map(([value, own]) => ({ value, counts: countsOf(own) }))
              .filter((one) => one.counts.asked > 0)
              .sort((a, b) => b.counts.asked - a.counts.asked)
              .slice(0, MOST_VALUES),
          }),
    };
  };

  router.get('/', needs('read'), (request, response) => {
    response.json(figures(request));
  });

  router.get('/csv', needs('read'), (request, response) => {
    const found = figures(request);
    const wanted = parse(FiguresQuery, request.query).by ?? '';
    const names = [
      ...new Set([
        ...found.series.flatMap((one) => Object.keys(one.states)),
        ...(found.by ?? []).flatMap((one) => Object.keys(one.counts.states)),
      ]),
    ];
    const lines =
      found.by === undefined
        ? [['at', ...names], ...found.series.map((one) => [one.at, ...names.map((name) => one.states[name] ?? 0)])]
        : [
            [wanted, 'asked', ...names, 'medianToAcceptedMs', 'p95ToAcceptedMs', 'medianToDeliveredMs', 'p95ToDeliveredMs'],
            ...found.by.map(({ value, counts }) => [
              value,
              counts.asked,
              ...names.map((name) => counts.states[name] ?? 0),
              ...[counts.toAccepted.median, counts.toAccepted.p95, counts.toDelivered.median, counts.toDelivered.p95].map((ms) => ms ?? ''),
            ]),
          ];
    response.type('text/csv').set('Content-Disposition', 'attachment; filename="figures.csv"').send(stringify(lines));
  });

  return router;
}
