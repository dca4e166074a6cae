import { mailsIn } from '@verbalis/core/returns';
import express, { Router, type Request } from 'express';
import type { z } from 'zod';
import { MOST_EVENTS, rawEvents, verifyCall, type CallbackDesk } from '../callbacks/index.js';
import type { Clock } from '../kernel/index.js';
import type { ReturnIntake } from '../intake/index.js';
import type { Callbacks } from '../profile/index.js';
import { invalid, Refusal } from '../refusal.js';
import type { ReturnRow, Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import { parse } from './problem.js';
import { ReturnMatch, ReturnQuery, type ReturnView } from './schemas.js';

export interface ReturnsOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly intake: ReturnIntake;
  readonly desk: CallbackDesk;
  readonly returnBytes: number;
  readonly callRefused: (provider: string) => void;
}

/** How many events a call has. One whose events a path of the profile does not find is stored all the same: it waits in quarantine then. */
function countEvents(callbacks: Callbacks, bytes: Uint8Array): number {
  let body: unknown;
  try {
    body = JSON.parse(Buffer.from(bytes).toString('utf8'));
  } catch {
    throw new Refusal(400, 'not-json', 'The body is not JSON');
  }
  try {
    return rawEvents(callbacks, body).length;
  } catch {
    return 0;
  }
}

/** Calls of providers: they have no key of ours, and show by their signature who they are. */
export function callbackRouter({ desk, clock, returnBytes, callRefused }: ReturnsOptions): Router {
  const router = Router();
  router.post('/:provider', express.raw({ type: () => true, limit: returnBytes }), async (request, response, next) => {
    const name = request.params['provider'];
    const callbacks = desk.profiles.get(name);
    if (callbacks === undefined) {
      next();
      return;
    }
    const body: Uint8Array = Buffer.isBuffer(request.body) ? request.body : Buffer.alloc(0);
    const verdict = verifyCall(callbacks.signature, request.headers, body, clock.now());
    if (!verdict.ok) {
      callRefused(name);
      throw new Refusal(401, 'call-not-signed', 'This call does not show that it is the provider’s', { detail: verdict.why });
    }
    const events = countEvents(callbacks, body);
    if (events > MOST_EVENTS)
      throw new Refusal(413, 'too-many-events', 'There are too many events in one call', { detail: `At most ${MOST_EVENTS} are taken.` });
    await desk.take(name, body);
    response.json({ events });
  });
  return router;
}

/** What came back: uploaded, listed, matched by hand. */
export function returnsRouter({ store, intake, returnBytes }: ReturnsOptions): Router {
  const router = Router();

  const view = (row: ReturnRow): z.input<typeof ReturnView> => ({
    id: row.id,
    receivedAt: new Date(row.receivedAt).toISOString(),
    source: row.source,
    provider: row.provider ?? undefined,
    kind: row.kind,
    matched: row.deliveryId !== null,
    deliveryId: row.deliveryId ?? undefined,
    messageId: row.deliveryId === null ? undefined : store.deliveries.find(row.deliveryId)?.messageId,
    from: row.told.from,
    subject: row.told.subject,
    envelopeTo: row.envelopeTo === '' ? undefined : row.envelopeTo,
    originalMessageId: row.told.originalMessageId,
    feedbackType: row.told.feedbackType,
    problem: row.told.problem,
    recipients: [...row.told.recipients],
  });

  const found = (request: Request): ReturnRow => {
    const { space, operator } = callerOf(request);
    const row = store.returns.find(String(request.params['id']));
    if (row === undefined || (row.space !== space && !(operator && row.space === null)))
      throw new Refusal(404, 'unknown-return', 'There is no such return', {
        detail: `No return "${String(request.params['id'])}" in the space "${space}".`,
      });
    return row;
  };

  router.post('/', needs('write'), express.raw({ type: () => true, limit: returnBytes }), async (request, response) => {
    const body: Uint8Array = Buffer.isBuffer(request.body) ? request.body : Buffer.alloc(0);
    if (body.length === 0)
      throw new Refusal(400, 'empty', 'There is no mail in the request', {
        hint: 'Send the bytes of a mail (message/rfc822) or of an mbox file.',
      });
    const { space } = callerOf(request);
    const asked = request.query['envelopeTo'];
    const taken = [];
    for (const bytes of mailsIn(body)) {
      const one = await intake.take({
        bytes,
        source: 'upload',
        envelopeFrom: '',
        envelopeTo: typeof asked === 'string' ? asked : '',
        space,
      });
      taken.push(one);
    }
    response.status(201).json({ returns: taken });
  });

  router.get('/', needs('read'), (request, response) => {
    const { limit, cursor, kind, matched } = parse(ReturnQuery, request.query);
    const { space, operator } = callerOf(request);
    const rows = store.returns.list({
      space,
      unowned: operator,
      limit: limit + 1,
      before: cursor,
      kind,
      matched: matched === undefined ? undefined : matched === 'yes',
    });
    const shown = rows.slice(0, limit);
    response.json({ returns: shown.map(view), nextCursor: rows.length > limit ? shown.at(-1)?.id : undefined });
  });

  router.get('/:id', needs('read'), (request, response) => {
    response.json(view(found(request)));
  });

  router.get('/:id/source', needs('read'), (request, response) => {
    const row = found(request);
    const type = row.source === 'callback' ? 'application/json' : 'message/rfc822';
    response
      .type(type)
      .setHeader('Content-Disposition', `attachment; filename="${row.id}.${row.source === 'callback' ? 'json' : 'eml'}"`)
      .setHeader('X-Content-Type-Options', 'nosniff')
      .send(row.bytes);
  });

  router.post('/:id/match', needs('write'), express.json(), async (request, response) => {
    const row = found(request);
    const { deliveryId } = parse(ReturnMatch, request.body);
    const { space } = callerOf(request);
    const delivery = store.deliveries.find(deliveryId);
    if (delivery?.space !== space) throw invalid([{ path: 'deliveryId', message: `there is no delivery "${deliveryId}" in this space` }]);
    if (row.deliveryId !== null)
      throw new Refusal(409, 'matched-already', 'This return has its delivery', { detail: `It is about the delivery ${row.deliveryId}.` });
    await intake.match(row, delivery);
    response.json(view(store.returns.find(row.id) ?? row));
  });

  return router;
}
