import { addressKey } from '@verbalis/core/delivery';
import { inspectMail } from '@verbalis/core/inspect';
import { partBytes, partsOf, readMail, shownText } from '@verbalis/core/mime';
import { Router, type Request } from 'express';
import type { z } from 'zod';
import { SimulationFault, type CaptureDesk, type Simulator } from '../capture/index.js';
import { Refusal } from '../refusal.js';
import type { CapturedFilter, CapturedRow, Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import {
  CapturedFilterQuery,
  CapturedQuery,
  CapturedWait,
  Simulation,
  type CapturedMail,
  type CapturedSummary,
} from './captured-schemas.js';
import { sendFrame, withCarried } from './frame.js';
import { parse } from './problem.js';
import { openStream } from './stream.js';

export interface CapturedOptions {
  readonly store: Store;
  readonly capturing: CaptureDesk;
  readonly simulate: Simulator;
}

const MOST_ADDRESSES = 500;
/** Rows that one step of a stream reads. */
const STEP = 200;

function summary(row: CapturedRow): z.input<typeof CapturedSummary> {
  return {
    id: row.id,
    receivedAt: new Date(row.receivedAt).toISOString(),
    to: row.address,
    from: row.sender,
    subject: row.subject,
    size: row.size,
    attachments: row.attachments,
    code: row.code ?? undefined,
    messageId: row.messageId ?? undefined,
    deliveryId: row.deliveryId ?? undefined,
  };
}

/** Captured mail: looked at, waited for, cleared, and given a fate. */
export function capturedRouter({ store, capturing, simulate }: CapturedOptions): Router {
  const router = Router();

  const filterOf = (
    request: Request,
    {
      to,
      subject,
      find,
      after,
    }: { to?: string | undefined; subject?: string | undefined; find?: string | undefined; after?: string | undefined },
  ): CapturedFilter => ({
    space: callerOf(request).space,
    address: to === undefined ? undefined : addressKey(to.trim(), true),
    subject,
    find,
    since: after === undefined ? undefined : Date.parse(after),
  });
  const found = (request: Request): CapturedRow => {
    const { space } = callerOf(request);
    const id = String(request.params['id']);
    const row = store.captured.find(space, id);
    if (row === undefined)
      throw new Refusal(404, 'unknown-captured', 'There is no such captured mail', {
        detail: `No captured mail "${id}" in the space "${space}".`,
        hint: 'It may have been cleared, or given up for newer ones.',
      });
    return row;
  };
  const full = (row: CapturedRow): z.input<typeof CapturedMail> => {
    const { headers, text, html, links, codes, attachments } = inspectMail(capturing.bytesOf(row));
    return {
      ...summary(row),
      headers: [...headers],
      text,
      html,
      links: [...links],
      codes: [...codes],
      files: [...attachments],
    };
  };

  router.get('/', needs('read'), (request, response) => {
    const { limit, cursor, ...wanted } = parse(CapturedQuery, request.query);
    const filter = filterOf(request, wanted);
    const before = cursor === undefined ? undefined : Number.parseInt(cursor, 36);
    const rows = store.captured.list({ ...filter, before: Number.isNaN(before) ? undefined : before }, limit + 1);
    const page = rows.slice(0, limit);
    const nextCursor = rows.length > limit ? page.at(-1)?.seq.toString(36) : undefined;
    response.json({ captured: page.map(summary), nextCursor });
  });

  router.delete('/', needs('write'), async (request, response) => {
    const filter = filterOf(request, parse(CapturedFilterQuery, request.query));
    response.json({ removed: await store.write((tx) => store.captured.clear(tx, filter)) });
  });

  router.get('/addresses', needs('read'), (request, response) => {
    const rows = store.captured.addresses(callerOf(request).space, MOST_ADDRESSES);
    response.json({ addresses: rows.map((row) => ({ ...row, latest: new Date(row.latest).toISOString() })) });
  });

  router.get('/wait', needs('read'), async (request, response) => {
    const wanted = parse(CapturedWait, request.query);
    const gone = new AbortController();
    request.on('close', () => {
      gone.abort();
    });
    const row = await capturing.waitFor(filterOf(request, wanted), wanted.seconds * 1000, gone.signal);
    if (gone.signal.aborted && row === undefined) return;
    if (row === undefined) {
      const [last] = store.captured.list({ space: callerOf(request).space }, 1);
      throw new Refusal(404, 'nothing-captured', 'No such mail came', {
        detail: `Waited ${wanted.seconds} s for a mail ${[
          wanted.to === undefined ? '' : `to ${wanted.to}`,
          wanted.subject === undefined ? '' : `with "${wanted.subject}" in its subject`,
          wanted.after === undefined ? '' : `since ${wanted.after}`,
        ]
          .filter((one) => one !== '')
          .join(' ')}. ${
          last === undefined
            ? 'Nothing was captured in this space at all.'
            : `The last one that came is to ${last.address}: "${last.subject}".`
        }`.replace(' . ', '. '),
        hint: 'Does the app send to this space, and to that address?',
      });
    }
    response.json(full(row));
  });

  router.get('/stream', needs('read'), (request, response) => {
    const { space } = callerOf(request);
    const stream = openStream(request, response);
    const seen = Number(request.header('last-event-id') ?? Number.NaN);
    let at = Number.isInteger(seen) ? seen : store.captured.last();
    const look = (): void => {
      for (;;) {
        const rows = store.captured.list({ space, after: at }, STEP).reverse();
        for (const row of rows) {
          at = row.seq;
          if (!stream.send({ id: row.seq, event: 'captured', data: summary(row) })) return;
        }
        if (rows.length < STEP) return;
      }
    };
    stream.onClose(capturing.onKept(look));
    look();
  });

  router.get('/:id', needs('read'), (request, response) => {
    response.json(full(found(request)));
  });

  router.get('/:id/html', needs('read'), (request, response) => {
    const mail = readMail(capturing.bytesOf(found(request)));
    sendFrame(response, withCarried(shownText(mail, 'html') ?? '', mail), request.query['remote'] === 'yes' ? 'all' : 'own');
  });

  router.get('/:id/source', needs('read'), (request, response) => {
    const row = found(request);
    response
      .set({
        'Content-Type': 'message/rfc822',
        'Content-Disposition': `attachment; filename="${row.id}.eml"`,
        'Content-Security-Policy': "sandbox; default-src 'none'",
      })
      .send(capturing.bytesOf(row));
  });

  // Whatever it says it is, it is saved and never opened here.
  router.get('/:id/attachments/:part', needs('read'), (request, response) => {
    const row = found(request);
    const bytes = capturing.bytesOf(row);
    const wanted = Number(request.params['part']);
    const file = inspectMail(bytes).attachments.find((one) => one.part === wanted);
    const part = [...partsOf(readMail(bytes))][wanted];
    if (file === undefined || part === undefined)
      throw new Refusal(404, 'unknown-attachment', 'This mail has no such attachment', { hint: 'Its "files" name the parts there are.' });
    response
      .set({
        'Content-Type': 'application/octet-stream',
        'Content-Disposition': `attachment; filename*=UTF-8''${encodeURIComponent(file.name)}`,
        'Content-Security-Policy': "sandbox; default-src 'none'",
      })
      .send(Buffer.from(partBytes(part)));
  });

  router.delete('/:id', needs('write'), async (request, response) => {
    const row = found(request);
    const removed = await store.write((tx) => store.captured.clear(tx, { space: row.space, after: row.seq - 1, before: row.seq + 1 }));
    response.json({ removed });
  });

  router.post('/:id/simulate', needs('write'), async (request, response) => {
    const row = found(request);
    const { fate, cause, link } = parse(Simulation, request.body);
    try {
      await simulate(row, fate, { cause, link });
    } catch (error) {
      if (!(error instanceof SimulationFault)) throw error;
      throw new Refusal(409, 'no-delivery', 'Nothing can become of this mail', {
        detail: error.message,
        hint: 'Send it as a message to this space to try what follows.',
      });
    }
    response.status(202).json(summary(row));
  });

  return router;
}
