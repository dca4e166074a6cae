import { stringify } from 'csv-stringify/sync';
import type * as z from 'zod';
import { content, endpointsOf, instant, json, numberCursor, Reply, requireScope, type Caller } from '../../kernel/index.js';
import { AuditCsvQuery, AuditList, AuditQuery } from './model.js';
import type { AuditFilter, AuditRow } from './queries.js';
import type { Store } from './store.js';

export interface AuditEndpoints {
  readonly store: Store;
  /** What an endpoint does, by its name. */
  readonly summaries: () => ReadonlyMap<string, string>;
}

const endpoint = endpointsOf<AuditEndpoints>();
const MOST_EXPORTED = 100_000;

/** @throws Refusal 403 when a key asks for the log of the service */
function filterOf(caller: Caller, { of, who, action, target, from, to }: z.output<typeof AuditCsvQuery>): AuditFilter {
  const isWhole = of === 'service' || caller.space === '';
  if (isWhole) requireScope(caller, 'operator');
  const at = (time: string | undefined): number | undefined => (time === undefined ? undefined : Date.parse(time));
  return { space: isWhole ? undefined : caller.space, who, action, target, from: at(from), to: at(to) };
}

function view(row: AuditRow, summaries: ReadonlyMap<string, string>): z.input<typeof AuditList>['entries'][number] {
  const { seq, at, actorKind, actorId, actor, action, space, target, change, address } = row;
  return {
    seq,
    at: instant(at),
    who: { kind: actorKind, id: actorId ?? undefined, name: actor },
    action,
    summary: summaries.get(action) ?? action,
    space: space ?? undefined,
    target: target ?? undefined,
    change: change === null ? undefined : (JSON.parse(change) as unknown),
    address,
  };
}

const list = endpoint({
  name: 'audit.list',
  method: 'get',
  path: '/v1/audit',
  summary: 'Who did what, newest first',
  scope: 'manage',
  isForService: true,
  query: AuditQuery,
  answers: { 200: json('A page.', AuditList) },
  refusals: { 403: 'The log of the whole service is for operators.' },
  run({ caller, query: { limit, cursor, ...filter } }, { store, summaries }) {
    const rows = store.audit.list(filterOf(caller, filter), limit, cursor);
    const last = rows.length < limit ? undefined : rows.at(-1)?.seq;
    const names = summaries();
    return { entries: rows.map((row) => view(row, names)), nextCursor: last === undefined ? undefined : numberCursor(last) };
  },
});

const csv = endpoint({
  name: 'audit.export',
  method: 'get',
  path: '/v1/audit/csv',
  summary: 'The audit log as CSV (RFC 4180), newest first, up to 100,000 entries',
  scope: 'manage',
  isForService: true,
  query: AuditCsvQuery,
  answers: { 200: content('CSV.', 'text/csv') },
  refusals: { 403: 'The log of the whole service is for operators.' },
  run({ caller, query }, { store }) {
    const rows = store.audit.list(filterOf(caller, query), MOST_EXPORTED);
    const lines = rows.map((row) => [
      row.seq,
      instant(row.at),
      row.actorKind,
      row.actor,
      row.action,
      row.space ?? '',
      row.target ?? '',
      row.change ?? '',
      row.address,
    ]);
    const text = stringify([['seq', 'at', 'kind', 'who', 'action', 'space', 'target', 'change', 'address'], ...lines], {
      // A cell that a table program would take for a formula is a text.
      escape_formulas: true,
    });
    return new Reply(text, { headers: { 'Content-Disposition': 'attachment; filename="audit.csv"' } });
  },
});

/** Who did what. */
export const auditEndpoints = [list, csv];
