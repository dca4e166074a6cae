import type * as z from 'zod';
import { instant, invalid } from '../../kernel/index.js';
import { hourOf } from './hits.js';
import type { Engagement, EngagementQuery } from './model.js';
import type { EngagementFilter, HitSums } from './queries.js';
import type { Store } from './store.js';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
const MOST_DAYS = 400;

type SumsView = z.input<typeof Engagement>['total']['links'];
type Both = z.input<typeof Engagement>['total'];

const sumsOf = (rows: readonly HitSums[]): SumsView => {
  const of = (by: HitSums['by']): number => rows.filter((row) => row.by === by).reduce((sum, { n }) => sum + n, 0);
  return {
    people: of('person'),
    unique: rows.reduce((sum, { firsts }) => sum + firsts, 0),
    machines: of('machine'),
    unknown: of('unknown'),
  };
};
const bothOf = (rows: readonly HitSums[]): Both => ({
  links: sumsOf(rows.filter(({ isLink }) => isLink)),
  images: sumsOf(rows.filter(({ isLink }) => !isLink)),
});

/** Rows that are alike in their key, in the order in which the first of them comes. */
function grouped<Row>(rows: readonly Row[], keyOf: (row: Row) => string): Row[][] {
  const groups = new Map<string, Row[]>();
  for (const row of rows) {
    const key = keyOf(row);
    const group = groups.get(key);
    if (group === undefined) groups.set(key, [row]);
    else group.push(row);
  }
  return [...groups.values()];
}

/** What people and machines did with email in a period, and in as long a one before. @throws Refusal */
export function engagementOf(
  { engagement }: Store,
  space: string,
  { from, to, template, topic, now }: z.output<typeof EngagementQuery> & { readonly now: number },
): z.input<typeof Engagement> {
  const end = to === undefined ? now : Date.parse(to);
  const start = from === undefined ? end - 7 * DAY : Date.parse(from);
  if (start >= end) throw invalid([{ path: 'from', message: 'is not before "to"' }]);
  if (end - start > MOST_DAYS * DAY) throw invalid([{ path: 'from', message: `is more than ${MOST_DAYS} days before "to"` }]);
  const filter: EngagementFilter = { space, from: hourOf(start), to: hourOf(end + HOUR - 1), template, topic };
  const before = { ...filter, from: filter.from - (filter.to - filter.from), to: filter.from };
  return {
    from: instant(filter.from),
    to: instant(filter.to),
    total: bothOf(engagement.total(filter)),
    before: bothOf(engagement.total(before)),
    templates: grouped(engagement.byTemplate(filter), (row) => `${row.template}\n${row.topic}`)
      .map((rows) => ({ template: rows[0]?.template ?? '', topic: rows[0]?.topic ?? '', ...bothOf(rows) }))
      .sort((a, b) => b.links.people + b.images.people - a.links.people - a.images.people),
    links: grouped(engagement.byLink(filter), (row) => `${row.template}\n${row.link}\n${row.label}`)
      .map((rows) => ({ template: rows[0]?.template ?? '', index: rows[0]?.link ?? 0, label: rows[0]?.label ?? '', ...sumsOf(rows) }))
      .sort((a, b) => b.people - a.people),
    hours: grouped(engagement.byAge(filter), ({ age }) => String(age))
      .map((rows) => ({ hour: rows[0]?.age ?? 0, ...bothOf(rows) }))
      .sort((a, b) => a.hour - b.hour),
  };
}
