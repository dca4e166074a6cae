import express, { type Express } from 'express';
import type { Logger } from 'pino';
import type { Editions } from '../editions/index.js';
import type { Clock, WorkerGroup } from '../kernel/index.js';
import { Refusal } from '../refusal.js';
import type { DeliveryRow, MessageRow, Store } from '../store/index.js';
import { access, type AccessOptions } from './access.js';
import { assetsRouter } from './assets.js';
import { capturedRouter, type CapturedOptions } from './captured.js';
import { consoleRouter } from './console.js';
import { domainsRouter, operatorNotesRouter, providersRouter, type SetUpOptions } from './set-up.js';
import { eventSchema, eventsRouter, type EventsOptions } from './events.js';
import { alertsRouter, type AlertsOptions } from './alerts.js';
import { figuresRouter, type FiguresOptions } from './figures.js';
import { subscriptionsRouter, type SubscriptionsOptions } from './subscriptions.js';
import { editionsRouter } from './editions.js';
import { makeMetrics, queueRouter } from './queue.js';
import { callbackRouter, returnsRouter, type ReturnsOptions } from './returns.js';
import { quarantineRouter } from './quarantine.js';
import { searchRouter } from './search.js';
import { suppressionsRouter } from './suppressions.js';
import type { Suppressing } from '../suppress/index.js';
import { templatesRouter, type TemplatesOptions } from './templates.js';
import { unsubscribeRouter } from './unsubscribe.js';
import { uploadsRouter } from './uploads.js';
import { keysRouter } from './keys.js';
import { messagesRouter } from './messages.js';
import { openApiDocument } from './openapi.js';
import { problemHandler, shallowBody } from './problem.js';
import { sessionRouter } from './session.js';

export interface AppOptions
  extends
    AccessOptions,
    SetUpOptions,
    CapturedOptions,
    TemplatesOptions,
    EventsOptions,
    SubscriptionsOptions,
    FiguresOptions,
    AlertsOptions,
    Omit<ReturnsOptions, 'callRefused'> {
  readonly suppressing: Suppressing;
  readonly unsubscribeSecret: Uint8Array;
  /** Mails to return paths that nobody had made. */
  readonly forged: () => number;
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  readonly editions: Editions;
  readonly compose: (message: MessageRow, delivery: DeliveryRow) => Promise<Buffer>;
  readonly attachmentBytes: number;
  readonly wake: () => void;
  readonly bodyBytes: number;
  readonly consoleFolder: string;
  /** Whether people reach the console over TLS. */
  readonly secure: boolean;
  /** Whether the service takes work. */
  readonly ready: () => boolean;
}

/** The service's HTTP interface. */
export function makeApp(options: AppOptions): Express {
  const app = express();
  app.disable('x-powered-by');
  app.set('etag', false);
  app.set('query parser', 'simple');

  app.use((_request, response, next) => {
    // A connection that is kept would keep the service from stopping.
    if (!options.ready()) response.set('Connection', 'close');
    next();
  });

  app.get('/health/live', (_request, response) => {
    response.json({ live: true });
  });
  app.get('/health/ready', (_request, response) => {
    response.status(options.ready() ? 200 : 503).json({ ready: options.ready() });
  });

  const metrics = makeMetrics(options.store, options.clock, {
    forged: options.forged,
    calls: options.desk.counts,
    workers: options.workers,
  });
  app.get('/metrics', async (_request, response) => {
    response.set('Content-Type', metrics.registry.contentType).send(await metrics.registry.metrics());
  });

  app.use('/assets', assetsRouter(options.editions));
  app.use('/unsubscribe', unsubscribeRouter(options));

  const document = openApiDocument();
  app.get('/v1/openapi.json', (_request, response) => {
    response.json(document);
  });

  app.get('/v1/events/schemas/:name', eventSchema);

  // An upload is a stream of bytes, of whatever type.
  app.use(
    /^\/(?:v1(?!\/uploads|\/returns|\/suppressions\/import)|console\/session)/,
    express.json({ limit: options.bodyBytes, strict: true }),
    shallowBody,
    (_request, response, next) => {
      response.set({ 'Cache-Control': 'no-store', 'X-Content-Type-Options': 'nosniff' });
      next();
    },
  );
  app.use('/console/session', sessionRouter(options));
  const ofReturns = { ...options, callRefused: metrics.callRefused };
  app.use('/v1/returns', callbackRouter(ofReturns));
  app.use('/v1', access(options));
  app.use('/v1/messages', messagesRouter({ ...options, metrics }));
  app.use('/v1/returns', returnsRouter(ofReturns));
  app.use('/v1/suppressions', suppressionsRouter(options));
  app.use('/v1/uploads', uploadsRouter(options.store, options.clock, options.attachmentBytes));
  app.use('/v1/queue', queueRouter(options.store, options.clock));
  app.use('/v1/editions', editionsRouter(options.store, options.editions, options.clock));
  app.use('/v1/providers', providersRouter(options));
  app.use('/v1/domains', domainsRouter(options));
  app.use('/v1/operator-notes', operatorNotesRouter(options));
  app.use('/v1/captured', capturedRouter(options));
  app.use('/v1/events', eventsRouter(options));
  app.use('/v1/subscriptions', subscriptionsRouter(options));
  app.use('/v1/figures', figuresRouter(options));
  app.use('/v1/alerts', alertsRouter(options));
  app.use('/v1/quarantine', quarantineRouter(options));
  app.use('/v1/search', searchRouter(options.store));
  app.use('/v1/templates', templatesRouter(options));
  app.use('/v1/keys', keysRouter(options.store, options.clock));
  app.use('/v1', (request) => {
    throw new Refusal(404, 'not-found', 'There is nothing at this address', {
      detail: `${request.method} ${request.originalUrl} is not part of the API.`,
      hint: 'GET /v1/openapi.json lists what is.',
    });
  });

  app.use(consoleRouter(options.consoleFolder));
  app.use(problemHandler(options.log, options.bodyBytes));
  return app;
}
