import { tell } from '@verbalis/core/delivery';
import { fieldText, readMail, shownText } from '@verbalis/core/mime';
import { Router } from 'express';
import type { z } from 'zod';
import type { Acceptor } from '../accept/index.js';
import { invalid, Refusal } from '../refusal.js';
import type { DeliveryRow, MessageRow, Store } from '../store/index.js';
import { callerOf, needs } from './access.js';
import type { Clock, Tx } from '../kernel/index.js';
import { sendFrame, withCarried } from './frame.js';
import { parse, problemsOf } from './problem.js';
import type { Metrics } from './queue.js';
import {
  ListQuery,
  NewBatch,
  NewMessage,
  Rescheduling,
  type DeliverySummary,
  type DeliveryView,
  type MailView,
  type MessageSummary,
} from './schemas.js';

const IDEMPOTENCY_KEY = /^[\x21-\x7E]{1,200}$/;

function time(at: number): string {
  return new Date(at).toISOString();
}

/** Leaves out what is null, as the API does. */
function some<T>(value: T | null | undefined): T | undefined {
  return value ?? undefined;
}

function summaryOfDelivery(row: DeliveryRow): z.input<typeof DeliverySummary> {
  return { id: row.id, address: row.address, state: row.state, cause: some(row.cause) };
}

function fields(row: MessageRow) {
  return {
    id: row.id,
    createdAt: time(row.createdAt),
    template: row.template,
    edition: row.edition,
    locale: row.locale,
    localeAsked: row.more.localeAsked,
    topic: some(row.topic),
    subject: row.subject,
    from: row.sender,
    to: row.to,
    cc: row.more.cc === undefined ? undefined : [...row.more.cc],
    reference: some(row.reference),
    labels: row.labels,
  };
}

function summary(row: MessageRow, deliveries: readonly DeliveryRow[]): z.input<typeof MessageSummary> {
  return { ...fields(row), deliveries: deliveries.map(summaryOfDelivery) };
}

function deliveryView(row: DeliveryRow, store: Store): z.input<typeof DeliveryView> {
  const facts = store.deliveries.facts(row.id);
  const { sentence, advice } = tell({
    address: row.address,
    createdAt: row.createdAt,
    facts,
    nextAttemptAt: row.owner === null ? some(row.nextAttemptAt) : undefined,
  });
  return {
    ...summaryOfDelivery(row),
    sentence,
    advice,
    intended: some(row.intended),
    // While a worker has it, that is the time at which the worker would be given up.
    nextAttemptAt: row.nextAttemptAt === null || row.owner !== null ? undefined : time(row.nextAttemptAt),
    attempts: store.deliveries.attempts(row.id).map((one) => ({
      number: one.number,
      provider: one.provider,
      startedAt: time(one.startedAt),
      endedAt: one.endedAt === null ? undefined : time(one.endedAt),
      outcome: some(one.outcome),
      phase: some(one.phase),
      replyCode: some(one.replyCode),
      status: some(one.status),
      diagnostic: some(one.diagnostic),
      providerId: some(one.providerId),
    })),
    facts: facts.map((one) => ({
      kind: one.kind,
      source: one.source,
      at: time(one.at),
      cause: one.cause,
      status: one.status,
      replyCode: one.replyCode,
      diagnostic: one.diagnostic,
      returnId: some(one.returnId),
    })),
  };
}

export interface MessagesOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly metrics: Metrics;
  /** Called when something may be due. */
  readonly wake: () => void;
  /** Makes the bytes of a delivery's mail, for those that were too large to be kept. */
  readonly compose: (message: MessageRow, delivery: DeliveryRow) => Promise<Buffer>;
}

/** The idempotency key of a request. */
function keyOf(request: { header: (name: string) => string | undefined }): string | undefined {
  const key = request.header('idempotency-key');
  if (key !== undefined && !IDEMPOTENCY_KEY.test(key)) {
    throw new Refusal(400, 'idempotency-key', 'The idempotency key is not right', { detail: 'It has 1 to 200 visible ASCII characters.' });
  }
  return key;
}

export function messagesRouter({ store, clock, accept, metrics, wake, compose }: MessagesOptions): Router {
  const router = Router();

  router.post('/', needs('send'), async (request, response) => {
    const key = keyOf(request);
    const wanted = parse(NewMessage, request.body);
    const { space } = callerOf(request);
    const ended = metrics.acceptance.startTimer();
    const { message, deliveries } = await accept.one(space, wanted, key);
    ended();
    metrics.accepted.inc({ space });
    response.status(202).location(`/v1/messages/${message.id}`).json(summary(message, deliveries));
  });

  router.get('/', needs('read'), (request, response) => {
    const { limit, cursor, from, to, ...filter } = parse(ListQuery, request.query);
    const at = (time: string | undefined): number | undefined => (time === undefined ? undefined : Date.parse(time));
    const { space } = callerOf(request);
    const { rows: page, next, partial } = store.messages.list({ ...filter, from: at(from), to: at(to), space, limit, before: cursor });
    const deliveries = store.messages.deliveriesOf(page.map((row) => row.id));
    response.json({
      messages: page.map((row) =>
        summary(
          row,
          deliveries.filter((one) => one.messageId === row.id),
        ),
      ),
      nextCursor: next,
      partial: partial || undefined,
    });
  });

  router.post('/batch', needs('send'), async (request, response) => {
    const { template, mode, messages } = parse(NewBatch, request.body);
    const { space } = callerOf(request);
    const wanted = messages.map((one, i) => {
      const read = NewMessage.safeParse(template === undefined || 'template' in one ? one : { template, ...one });
      return read.success ? { index: i, message: read.data } : { index: i, problems: problemsOf(read.error, NewMessage) };
    });
    const good = wanted.flatMap((one) =>
      'message' in one && one.message !== undefined ? [{ index: one.index, message: one.message }] : [],
    );
    const bad = wanted.flatMap((one) =>
      'problems' in one && one.problems !== undefined ? [{ index: one.index, problems: one.problems }] : [],
    );
    const results = await accept.batch(
      space,
      good.map((one) => one.message),
      mode === 'all' && bad.length > 0 ? 'check' : mode,
      keyOf(request),
    );
    const all = [
      ...bad.map(({ index, problems }) => ({ index, problems })),
      ...results.map((one) => {
        const index = good[one.index]?.index ?? one.index;
        return 'message' in one ? { index, id: one.message.id } : { index, problems: [...one.problems] };
      }),
    ].sort((a, b) => a.index - b.index);
    const accepted = all.filter((one) => 'id' in one).length;
    if (mode === 'all' && accepted < all.length)
      throw invalid(
        all.flatMap((one) =>
          'problems' in one
            ? (one.problems ?? []).map((fault) => ({ ...fault, path: `messages[${one.index}].${fault.path}`.replace(/\.$/, '') }))
            : [],
        ),
      );
    metrics.accepted.inc({ space }, accepted);
    response.status(accepted > 0 ? 202 : 200).json({ accepted, refused: all.length - accepted, results: all });
  });

  /** Does something with each delivery of a message that no worker has yet. */
  const change = (tx: Tx, row: MessageRow, run: (deliveryId: string) => boolean) => {
    const ids = store.messages.deliveriesOf([row.id], tx).map((one) => one.id);
    const changed = ids.filter(run);
    return { changed, late: ids.filter((id) => !changed.includes(id)) };
  };
  router.post('/:id/cancel', needs('send'), async (request, response) => {
    const row = found(request, String(request.params['id']));
    response.json(await store.write((tx) => change(tx, row, (id) => store.deliveries.cancel(tx, id, clock.now()))));
  });
  router.post('/:id/reschedule', needs('send'), async (request, response) => {
    const row = found(request, String(request.params['id']));
    const at = await accept.later(row, parse(Rescheduling, request.body));
    const result = await store.write((tx) => {
      tx.afterCommit(wake);
      return change(tx, row, (id) => store.deliveries.reschedule(tx, id, at));
    });
    response.json(result);
  });

  function found(request: Parameters<typeof callerOf>[0], id: string): MessageRow {
    const row = store.messages.find(callerOf(request).space, id);
    if (row === undefined)
      throw new Refusal(404, 'unknown-message', 'There is no such message', {
        detail: `No message "${id}" in the space "${callerOf(request).space}".`,
      });
    return row;
  }

  router.get('/:id', needs('read'), (request, response) => {
    const row = found(request, String(request.params['id']));
    response.json({
      ...fields(row),
      attachments: attachmentsOf(row),
      data: row.data,
      deliveries: store.messages.deliveriesOf([row.id]).map((one) => deliveryView(one, store)),
    });
  });

  function attachmentsOf(row: MessageRow) {
    const rows = store.contents.attachments(row);
    if (rows.length === 0) return undefined;
    return rows.map(({ name, type, contentId }) => ({
      name,
      type,
      size: contentId === null ? undefined : store.contents.find(contentId)?.size,
    }));
  }

  async function bytesOf(row: MessageRow): Promise<Buffer> {
    const [delivery] = store.messages.deliveriesOf([row.id]);
    const made = delivery === undefined ? undefined : store.messages.mail(delivery.id);
    const bytes = made ?? (delivery !== undefined && delivery.attempts > 0 ? await compose(row, delivery) : undefined);
    if (bytes === undefined)
      throw new Refusal(409, 'not-made-yet', 'The mail is not made yet', {
        hint: 'It is made at the first attempt; ask again in a moment.',
        retryAfterSeconds: 1,
      });
    return bytes;
  }

  router.get('/:id/mail', needs('read'), async (request, response) => {
    const bytes = await bytesOf(found(request, String(request.params['id'])));
    const mail = readMail(bytes);
    const view: z.input<typeof MailView> = {
      subject: fieldText(mail.fields.find((one) => one.name === 'subject')?.raw ?? ''),
      headers: mail.fields.map((one) => ({ name: one.name, value: fieldText(one.raw) })),
      html: shownText(mail, 'html') ?? '',
      text: shownText(mail, 'plain') ?? '',
      size: bytes.length,
    };
    response.json(view);
  });

  // The HTML part as a page for a frame: no script, no form, and nothing from elsewhere until it is asked for.
  router.get('/:id/html', needs('read'), async (request, response) => {
    const mail = readMail(await bytesOf(found(request, String(request.params['id']))));
    const html = withCarried(shownText(mail, 'html') ?? '', mail);
    sendFrame(response, html, request.query['remote'] === 'yes' ? 'all' : 'own');
  });

  router.get('/:id/source', needs('read'), async (request, response) => {
    const row = found(request, String(request.params['id']));
    response
      .type('message/rfc822')
      .setHeader('Content-Disposition', `attachment; filename="${row.id}.eml"`)
      .send(await bytesOf(row));
  });

  return router;
}
