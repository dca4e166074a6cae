import express, { type Express } from 'express';
import type { Logger } from 'pino';
import type { Registry } from 'prom-client';
import { unsubscribePages } from '../features/consent/index.js';
import { consoleRouter } from '../features/console/index.js';
import { assetRouter } from '../features/editions/index.js';
import type { Suppressing } from '../features/suppressions/index.js';
import { endpointRouter, problemHandler, Refusal, type Access, type Clock, type ServedEndpoint } from '../kernel/index.js';
import type { Store } from '../records/index.js';
import { openApiDocument } from './endpoints.js';

export interface HttpOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly registry: Registry;
  readonly endpoints: readonly ServedEndpoint[];
  readonly access: Access;
  readonly suppressing: Suppressing;
  readonly unsubscribeSecret: Uint8Array;
  readonly publicUrl: string | undefined;
  readonly bodyBytes: number;
  readonly consoleFolder: string;
  /** Whether the service takes work. */
  readonly ready: () => boolean;
}

/** An Express application as the service and the preview use it. */
export function bareApp(): Express {
  const app = express();
  app.disable('x-powered-by');
  app.set('etag', false);
  app.set('query parser', 'simple');
  return app;
}

/** Below /v1 there is nothing but endpoints. */
export function refuseUnknown(app: Express, title: string, hint: string): void {
  app.use('/v1', (request) => {
    throw new Refusal(404, 'not-found', title, { detail: `${request.method} ${request.originalUrl} is not part of the API.`, hint });
  });
}

/** Whether the service lives, whether it takes work, what it counts: for what watches it. */
function addMonitoring(app: Express, { ready, registry }: HttpOptions): void {
  app.use((_request, response, next) => {
    // A connection that is kept would keep the service from stopping.
    if (!ready()) response.set('Connection', 'close');
    next();
  });
  app.get('/health/live', (_request, response) => {
    response.json({ live: true });
  });
  app.get('/health/ready', (_request, response) => {
    response.status(ready() ? 200 : 503).json({ ready: ready() });
  });
  app.get('/metrics', async (_request, response) => {
    response.set('Content-Type', registry.contentType).send(await registry.metrics());
  });
}

/** The service's HTTP interface. */
export function makeApp(options: HttpOptions): Express {
  const { store, clock, log, endpoints, access, suppressing, unsubscribeSecret, publicUrl, bodyBytes, consoleFolder } = options;
  const app = bareApp();
  addMonitoring(app, options);
  app.use('/assets', assetRouter(store));
  app.use('/unsubscribe', unsubscribePages({ store, clock, suppressing, unsubscribeSecret }));
  const document = openApiDocument(publicUrl);
  app.get('/v1/openapi.json', (_request, response) => {
    response.json(document);
  });
  app.use(endpointRouter({ endpoints, access, bodyBytes }));
  refuseUnknown(app, 'There is nothing at this address', 'GET /v1/openapi.json lists what is.');
  app.use(consoleRouter(consoleFolder));
  app.use(problemHandler(log));
  return app;
}
