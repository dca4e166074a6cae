import type { Express, RequestHandler, Router } from 'express';
import type { Logger } from 'pino';
import type { Registry } from 'prom-client';
import type { Consent } from '../features/consent/index.js';
import { sharePages, type SharePageOptions } from '../features/domain-checks/index.js';
import type { EngagementFeature } from '../features/engagement/index.js';
import { consoleRouter } from '../features/console/index.js';
import { assetRouter } from '../features/editions/index.js';
import {
  bareApp,
  endpointRoutes,
  limitStreams,
  metricsAnswer,
  networks,
  plainAddress,
  problemHandler,
  Refusal,
  refusedByStandby,
  type Access,
  type AuditLog,
  type Clock,
  type MetricsSettings,
  type ServedEndpoint,
  type Standby,
  type StreamLimits,
} from '../kernel/index.js';
import type { Store } from '../records/index.js';
import { openApiDocument } from './endpoints.js';
import { hostCheck, type HostRules } from './hosts.js';
import type { Readiness } from './readiness.js';

export interface HttpOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly log: Logger;
  readonly registry: Registry;
  readonly endpoints: readonly ServedEndpoint[];
  readonly access: Access;
  readonly audit: AuditLog | undefined;
  readonly consentPages: Consent['pages'];
  readonly hitPages: EngagementFeature['pages'];
  readonly hosts: Omit<HostRules, 'publicUrl'>;
  readonly sharedDomains: SharePageOptions;
  readonly confirmPages: Router;
  readonly permitCors: RequestHandler;
  readonly publicUrl: string | undefined;
  readonly bodyBytes: number;
  readonly streams: StreamLimits;
  /** Networks of proxies that are believed whom they speak for. */
  readonly trustProxy: readonly string[];
  readonly metrics: MetricsSettings;
  readonly consoleFolder: string;
  readonly readiness: Readiness;
  readonly isStopping: () => boolean;
  readonly standby: Standby | undefined;
  readonly doubtMs: (() => number) | undefined;
}

/** Below /v1 there is nothing but endpoints. */
export function refuseUnknown(app: Express, title: string, hint: string): void {
  app.use('/v1', (request) => {
    throw new Refusal(404, 'not-found', title, { detail: `${request.method} ${request.originalUrl} is not part of the API.`, hint });
  });
}

/** A connection that is kept would keep the service from stopping. */
function closeWhenStopping(app: Express, isStopping: () => boolean): void {
  app.use((_request, response, next) => {
    if (isStopping()) response.set('Connection', 'close');
    next();
  });
}

/** Whether the service lives, whether it takes work, what it counts: for what watches it. */
function addMonitoring(app: Express, { readiness, registry, metrics }: HttpOptions): void {
  app.use((_request, response, next) => {
    response.set('X-Content-Type-Options', 'nosniff');
    next();
  });
  app.get('/health/live', (_request, response) => {
    response.json({ live: true });
  });
  app.get('/health/ready', async (_request, response) => {
    const problems = await readiness();
    const isReady = problems.length === 0;
    response.status(isReady ? 200 : 503).json({ ready: isReady, ...(isReady ? {} : { problems }) });
  });
  // With a listener of their own they are not here, where a proxy might let anybody in.
  app.get('/metrics', async (request, response) => {
    if (metrics.port !== undefined)
      throw new Refusal(404, 'not-found', 'The metrics have a listener of their own', { hint: 'It is on the port of metrics.port.' });
    const { status, headers, text } = await metricsAnswer(registry, metrics, request.headers.authorization);
    response.status(status).set(headers).send(text);
  });
}

/** Pages outside of the API, each with whether something is written down there: a standby has only those that read. */
function addPages(app: Express, { store, hitPages, consentPages, sharedDomains, confirmPages, standby }: HttpOptions): void {
  const pages: readonly (readonly [path: string, does: 'reads' | 'writes', pages: RequestHandler])[] = [
    ['/go', 'writes', hitPages.go],
    ['/image', 'writes', hitPages.image],
    ['/assets', 'reads', assetRouter(store)],
    ['/unsubscribe', 'writes', consentPages.unsubscribe],
    ['/preferences', 'writes', consentPages.preferences],
    ['/join', 'writes', consentPages.join],
    ['/domain', 'writes', sharePages(sharedDomains)],
    ['/confirm', 'writes', confirmPages],
  ];
  for (const [path, does, handler] of pages) {
    if (standby === undefined || does === 'reads') app.use(path, handler);
    else
      app.use(path, () => {
        throw refusedByStandby(standby);
      });
  }
}

/** The service's HTTP interface. */
export function makeApp(options: HttpOptions): Express {
  const { log, endpoints, access, audit, publicUrl, bodyBytes, consoleFolder, streams, trustProxy } = options;
  const app = bareApp();
  const isProxy = networks(trustProxy);
  if (trustProxy.length > 0) app.set('trust proxy', (address: string) => isProxy(plainAddress(address)));
  limitStreams(app, streams);
  closeWhenStopping(app, options.isStopping);
  const guard = hostCheck({ publicUrl, ...options.hosts });
  const { standby, doubtMs } = options;
  const { direct, router } = endpointRoutes({ endpoints, access, bodyBytes, audit, standby, doubtMs, guard });
  app.use('/v1/permitted-messages', options.permitCors);
  // First of all, since nearly every request is one of these.
  app.use(direct);
  addMonitoring(app, options);
  app.use(guard);
  addPages(app, options);
  let document: Record<string, unknown> | undefined;
  app.get('/v1/openapi.json', (_request, response) => {
    response.json((document ??= openApiDocument(publicUrl)));
  });
  app.use(router);
  refuseUnknown(app, 'There is nothing at this address', 'GET /v1/openapi.json lists what is.');
  app.use(consoleRouter(consoleFolder));
  app.use(problemHandler(log));
  return app;
}
