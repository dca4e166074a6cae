import { stringify } from 'csv-stringify/sync';
import { content, endpointsOf, json, Reply, type Clock } from '../../kernel/index.js';
import { figuresOf, type FiguresView } from './figures.js';
import { Figures, FiguresQuery } from './model.js';
import type { Store } from './store.js';

export interface FigureEndpoints {
  readonly store: Store;
  readonly clock: Clock;
}

const endpoint = endpointsOf<FigureEndpoints>();

const get = endpoint({
  name: 'figures.get',
  method: 'get',
  path: '/v1/figures',
  summary: 'How many deliveries there were, how they ended, and how long it took',
  description: 'Deliveries count at the time they were created.',
  scope: 'read',
  query: FiguresQuery,
  answers: { 200: json('Counts.', Figures) },
  run: ({ caller: { space }, query }, { store, clock }) => figuresOf(store, space, { ...query, now: clock.now() }),
});

/** The series, or the values of a dimension, as the rows of a table. */
function tableOf({ series, by }: FiguresView, dimension: string): (string | number)[][] {
  const names = [...new Set([...series, ...(by ?? []).map(({ counts }) => counts)].flatMap(({ states }) => Object.keys(states)))];
  if (by === undefined) return [['at', ...names], ...series.map(({ at, states }) => [at, ...names.map((name) => states[name] ?? 0)])];
  const rows = by.map(({ value, counts: { created, states, toAccepted, toDelivered } }) => [
    value,
    created,
    ...names.map((name) => states[name] ?? 0),
    ...[toAccepted.median, toAccepted.p95, toDelivered.median, toDelivered.p95].map((ms) => ms ?? ''),
  ]);
  return [[dimension, 'created', ...names, 'medianToAcceptedMs', 'p95ToAcceptedMs', 'medianToDeliveredMs', 'p95ToDeliveredMs'], ...rows];
}

const csv = endpoint({
  name: 'figures.csv',
  method: 'get',
  path: '/v1/figures/csv',
  summary: 'The same as a table',
  scope: 'read',
  query: FiguresQuery,
  answers: { 200: content('CSV.', 'text/csv') },
  run({ caller: { space }, query }, { store, clock }) {
    const figures = figuresOf(store, space, { ...query, now: clock.now() });
    const headers = { 'Content-Disposition': 'attachment; filename="figures.csv"' };
    return new Reply(stringify(tableOf(figures, query.by ?? '')), { headers });
  },
});

/** How many, how they ended, how long it took: over time and by what they are. */
export const figureEndpoints = [get, csv];
