import { addressText, isFault, parseAddress } from '@verbalis/core/mime';
import express, { Router } from 'express';
import type { z } from 'zod';
import type { Clock, Tx } from '../kernel/index.js';
import { invalid, Refusal } from '../refusal.js';
import type { Store, SuppressionRow } from '../store/index.js';
import { inWords, readSuppressions, writeSuppressions, type Suppressing } from '../suppress/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { Lifting, NewSuppression, SuppressionQuery, type SuppressionImport, type SuppressionView } from './schemas.js';

export interface SuppressionsOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly suppressing: Suppressing;
}

const CSV_BYTES = 50 * 1024 * 1024;
const EXPORT_PAGE = 5000;
/** Lines of an import in one transaction. */
const IMPORT_STEP = 500;

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
    createdAt: new Date(row.createdAt).toISOString(),
    liftedAt: row.liftedAt === null ? undefined : new Date(row.liftedAt).toISOString(),
    liftNote: row.liftNote ?? undefined,
  };
}

/** Addresses that get no more mail. */
export function suppressionsRouter({ store, clock, suppressing }: SuppressionsOptions): Router {
  const router = Router();

  router.get('/', needs('read'), (request, response) => {
    const { limit, cursor, address, topic, reason, lifted } = parse(SuppressionQuery, request.query);
    const { space } = callerOf(request);
    const rows = store.suppressions.list({
      space,
      limit: limit + 1,
      before: cursor,
      address: address === undefined ? undefined : suppressing.keyOf(address),
      topic,
      reason,
      lifted: lifted === 'yes',
    });
    const shown = rows.slice(0, limit);
    response.json({ suppressions: shown.map(view), nextCursor: rows.length > limit ? shown.at(-1)?.id : undefined });
  });

  router.get('/export', needs('read'), (request, response) => {
    const { space } = callerOf(request);
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
  });

  router.post('/', needs('write'), async (request, response) => {
    const { address, topic = '', note = null } = parse(NewSuppression, request.body);
    const parsed = parseAddress(address);
    if (isFault(parsed)) throw invalid([{ path: 'address', message: parsed.fault, hint: parsed.hint }]);
    const { space } = callerOf(request);
    const text = addressText(parsed);
    const added = await store.write((tx) => suppressing.add(tx, space, text, topic, { reason: 'added', note }, clock.now()));
    const [row] = store.suppressions.list({ space, limit: 1, address: suppressing.keyOf(text), topic, lifted: false });
    if (row === undefined) throw new Refusal(500, 'not-added', 'The suppression could not be added');
    response.status(added ? 201 : 200).json(view(row));
  });

  const imported = (
    tx: Tx,
    space: string,
    one: ReturnType<typeof readSuppressions>[number],
    now: number,
  ): z.input<typeof SuppressionImport>['lines'][number] => {
    if ('problem' in one) return { line: one.line, result: 'refused', problem: one.problem };
    const { address, topic, reason, cause, evidence, note, since = now } = one;
    const added = suppressing.add(tx, space, address, topic, { reason, cause, evidence, note }, Math.min(since, now));
    return { line: one.line, address, result: added ? 'added' : 'known' };
  };
  router.post('/import', needs('write'), express.text({ type: () => true, limit: CSV_BYTES }), async (request, response) => {
    const { space } = callerOf(request);
    if (typeof request.body !== 'string' || request.body.trim() === '')
      throw new Refusal(400, 'empty', 'There is no CSV in the request', {
        hint: 'Send text/csv with a header line; one column is "address".',
      });
    const now = clock.now();
    const lines = readSuppressions(request.body);
    const results: z.input<typeof SuppressionImport>['lines'] = [];
    for (let from = 0; from < lines.length; from += IMPORT_STEP)
      results.push(...(await store.write((tx) => lines.slice(from, from + IMPORT_STEP).map((one) => imported(tx, space, one, now)))));
    const count = (result: string): number => results.filter((one) => one.result === result).length;
    response.json({ added: count('added'), known: count('known'), refused: count('refused'), lines: results });
  });

  router.post('/:id/lift', needs('write'), async (request, response) => {
    const { space } = callerOf(request);
    const row = store.suppressions.find(space, String(request.params['id']));
    if (row === undefined) throw new Refusal(404, 'unknown-suppression', 'There is no such suppression');
    const { note } = parse(Lifting, request.body);
    if (row.liftedAt !== null) throw new Refusal(409, 'lifted-already', 'This suppression is lifted already');
    await store.write((tx) => {
      store.suppressions.lift(tx, row.id, clock.now(), note);
    });
    response.json(view(store.suppressions.find(space, row.id) ?? row));
  });

  return router;
}
