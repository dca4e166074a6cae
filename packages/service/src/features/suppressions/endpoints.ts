import { addressText, isFault, parseAddress } from '@verbalis/core/mime';
import type * as z from 'zod';
import {
  bytesBody,
  content,
  endpointsOf,
  instant,
  invalid,
  json,
  jsonBody,
  pageOf,
  Refusal,
  Reply,
  textParams,
  type Clock,
  type Tx,
} from '../../kernel/index.js';
import { readSuppressions, writeSuppressions } from './csv.js';
import { Lifting, NewSuppression, SuppressionImport, SuppressionList, SuppressionQuery, SuppressionView } from './model.js';
import type { SuppressionRow } from './queries.js';
import type { Store } from './store.js';
import { inWords, type Suppressing } from './suppressing.js';

export interface SuppressionEndpoints {
  readonly store: Store;
  readonly clock: Clock;
  readonly suppressing: Suppressing;
}

const CSV_BYTES = 50 * 1024 * 1024;
const EXPORT_PAGE = 5000;
/** Lines of an import in one transaction. */
const IMPORT_STEP = 500;

const endpoint = endpointsOf<SuppressionEndpoints>();

function view(row: SuppressionRow): z.input<typeof SuppressionView> {
  return {
    id: row.id,
    address: row.address,
    topic: row.topic === '' ? undefined : row.topic,
    reason: row.reason,
    cause: row.cause ?? undefined,
    sentence: inWords(row),
    evidence: row.evidence ?? undefined,
    deliveryId: row.deliveryId ?? undefined,
    note: row.note ?? undefined,
    createdAt: instant(row.createdAt),
    liftedAt: row.liftedAt === null ? undefined : instant(row.liftedAt),
    liftNote: row.liftNote ?? undefined,
  };
}

const list = endpoint({
  name: 'suppressions.list',
  method: 'get',
  path: '/v1/suppressions',
  summary: 'Addresses that get no mail any more, newest first',
  scope: 'read',
  query: SuppressionQuery,
  answers: { 200: json('A page.', SuppressionList) },
  run({ caller: { space }, query: { limit, cursor, address, topic, reason, lifted } }, { store, suppressing }) {
    const rows = store.suppressions.list({
      space,
      limit: limit + 1,
      before: cursor,
      // A caller that knows an address may ask whether it is suppressed, also after its erasure.
      addresses: address === undefined ? undefined : [suppressing.keyOf(address), suppressing.hiddenOf(address)],
      topic,
      reason,
      lifted: lifted === 'yes',
    });
    const page = pageOf(rows, limit, (row) => row.id);
    return { suppressions: page.rows.map(view), nextCursor: page.nextCursor };
  },
});

const exportAll = endpoint({
  name: 'suppressions.export',
  method: 'get',
  path: '/v1/suppressions/export',
  summary: 'All that are in force, as CSV (RFC 4180)',
  scope: 'read',
  answers: { 200: content('CSV.', 'text/csv') },
  run({ caller: { space }, response }, { store }) {
    response.type('text/csv').setHeader('Content-Disposition', 'attachment; filename="suppressions.csv"');
    let before: string | undefined;
    let first = true;
    for (;;) {
      const rows = store.suppressions.list({ space, limit: EXPORT_PAGE, before, lifted: false });
      const text = writeSuppressions(rows);
      response.write(first ? text : text.slice(text.indexOf('\r\n') + 2));
      first = false;
      before = rows.at(-1)?.id;
      if (rows.length < EXPORT_PAGE) break;
    }
    response.end();
    return undefined;
  },
});

const add = endpoint({
  name: 'suppressions.add',
  method: 'post',
  path: '/v1/suppressions',
  summary: 'Send no more mail to an address',
  scope: 'write',
  body: jsonBody(NewSuppression),
  answers: { 201: json('The suppression.', SuppressionView), 200: json('There was one already.', SuppressionView) },
  isRepeatable: true,
  async run({ caller: { space }, body: { address, topic = '', note = null } }, { store, clock, suppressing }) {
    const parsed = parseAddress(address);
    if (isFault(parsed)) throw invalid([{ path: 'address', message: parsed.fault, hint: parsed.hint }]);
    const text = addressText(parsed);
    const added = await store.write((tx) => suppressing.add(tx, { space, address: text, topic, reason: 'added', note }, clock.now()));
    const [row] = store.suppressions.list({ space, limit: 1, addresses: [suppressing.keyOf(text)], topic, lifted: false });
    if (row === undefined) throw new Refusal(500, 'not-added', 'The suppression could not be added');
    return new Reply(view(row), { status: added ? 201 : 200 });
  },
});

type ImportedLine = z.input<typeof SuppressionImport>['lines'][number];

function imported(
  { suppressing }: SuppressionEndpoints,
  tx: Tx,
  { space, line, now }: { space: string; line: ReturnType<typeof readSuppressions>[number]; now: number },
): ImportedLine {
  if ('problem' in line) return { line: line.line, result: 'refused', problem: line.problem };
  const { address, topic, reason, cause, evidence, note, since = now } = line;
  const added = suppressing.add(tx, { space, address, topic, reason, cause, evidence, note }, Math.min(since, now));
  return { line: line.line, address, result: added ? 'added' : 'known' };
}

const importAll = endpoint({
  name: 'suppressions.import',
  method: 'post',
  path: '/v1/suppressions/import',
  summary: 'Add the addresses of a CSV file with a column "address"',
  scope: 'write',
  body: bytesBody<SuppressionEndpoints>(['text/csv', 'text/plain', 'application/octet-stream'], () => CSV_BYTES),
  answers: { 200: json('The result of each line.', SuppressionImport) },
  isRepeatable: true,
  async run({ caller: { space }, body }, deps) {
    const text = body.toString('utf8');
    if (text.trim() === '')
      throw new Refusal(400, 'empty', 'There is no CSV in the request', {
        hint: 'Send text/csv with a header line; one column is "address".',
      });
    const { store, clock } = deps;
    const now = clock.now();
    const lines = readSuppressions(text);
    const results: ImportedLine[] = [];
    for (let from = 0; from < lines.length; from += IMPORT_STEP)
      results.push(
        ...(await store.write((tx) => lines.slice(from, from + IMPORT_STEP).map((line) => imported(deps, tx, { space, line, now })))),
      );
    const count = (result: ImportedLine['result']): number => results.filter((line) => line.result === result).length;
    return { added: count('added'), known: count('known'), refused: count('refused'), lines: results };
  },
});

const lift = endpoint({
  name: 'suppressions.lift',
  method: 'post',
  path: '/v1/suppressions/{id}/lift',
  summary: 'Remove a suppression: the address gets mail again',
  scope: 'write',
  params: textParams('id'),
  body: jsonBody(Lifting),
  answers: { 200: json('The suppression.', SuppressionView) },
  refusals: { 409: 'It is removed already.' },
  async run({ caller: { space }, params: { id }, body: { note } }, { store, clock, suppressing }) {
    const row = store.suppressions.find(space, id);
    if (row === undefined)
      throw new Refusal(404, 'unknown-suppression', 'There is no such suppression', {
        detail: `No suppression "${id}" in the space "${space}".`,
      });
    if (row.liftedAt !== null) throw new Refusal(409, 'lifted-already', 'This suppression is removed already');
    await store.write((tx) => {
      suppressing.lift(tx, row, clock.now(), note);
    });
    return view(store.suppressions.find(space, row.id) ?? row);
  },
});

/** Addresses that get no more mail. */
export const suppressionEndpoints = [list, exportAll, add, importAll, lift];
