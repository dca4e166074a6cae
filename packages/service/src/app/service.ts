import { existsSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { isAbsolute, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Express } from 'express';
import { pino, type DestinationStream, type Logger } from 'pino';
import { Registry } from 'prom-client';
import {
  copyDatabase,
  endStreams,
  listenMetrics,
  portFault,
  readSecrets,
  retention,
  Refusal,
  StartError,
  startErrorOf,
  SYSTEM_CLOCK,
  workerGroup,
  type Clock,
  type ClockJump,
  type Feature,
  type Runtime,
  type KernelOptions,
  type Running,
  type Secrets,
} from '../kernel/index.js';
import { openStore, type Store } from '../records/index.js';
import type { ReadConfig, Settings } from '../settings/index.js';
import { openFeatures, type Built } from './features.js';
import { makeApp } from './http.js';
import { readiness } from './readiness.js';

export interface StartOptions {
  readonly config: ReadConfig;
  readonly operatorSecret?: string | undefined;
  readonly clock?: Clock;
  readonly logTo?: DestinationStream;
  /** How many threads hand over; 1 for none, where this one does. */
  readonly workers?: number;
  /** For tests: faults of the database. */
  readonly kernel?: Pick<KernelOptions, 'group' | 'instrument'>;
}

export interface Service {
  /** Where it is reached: http://127.0.0.1:8620 */
  readonly url: string;
  /** Where metrics have a listener of their own. */
  readonly metricsPort: number | undefined;
  readonly returnsPort: number;
  readonly submissionPort: number | undefined;
  /** The one that is secure from the first byte. */
  readonly submissionTlsPort: number | undefined;
  /** Copies the running database to a file. */
  readonly backup: (file: string) => Promise<void>;
  /** Whether something is under way, for those who move the clock: what waits for a time is not. */
  readonly busy: () => boolean;
  /** All that is remembered and follows from the database: a fresh start on the same file has the same. */
  readonly memory: () => Record<string, unknown>;
  /** Does now what waits for others to go with, for those who move the clock. */
  readonly writeNow: () => void;
  /** Makes an address that opens the console, once and for ten minutes. */
  readonly signInLink: () => Promise<string>;
  readonly operatorSecret: string;
  /** Takes nothing more, finishes what is under way, closes. */
  readonly stop: () => Promise<void>;
}

const CONSOLE_FOLDER = fileURLToPath(new URL('../../../console/dist', import.meta.url));
const DAY = 24 * 3_600_000;
/** Records of a date that is so far ahead show that the clock was set back. */
const JUMPED_MS = 60_000;
/** How long requests that are under way may take once the service stops, in milliseconds. */
const REQUESTS_MS = 5000;

function makeLog(level: string, logTo: DestinationStream | undefined): Logger {
  return pino(
    {
      level,
      base: undefined,
      redact: { paths: ['*.password', '*.secret', '*.key', 'authorization', 'cookie'], censor: '…' },
    },
    logTo ?? pino.destination({ dest: 2, sync: true }),
  );
}

function makeRuntime({ settings, folder }: ReadConfig, clock: Clock, log: Logger): Runtime {
  const registry = new Registry();
  // The library's types tie a registry to one format; the format is chosen here, once.
  (registry as unknown as Registry<typeof Registry.OPENMETRICS_CONTENT_TYPE>).setContentType(Registry.OPENMETRICS_CONTENT_TYPE);
  const { mailDays, messageDays } = settings.keep;
  return {
    clock,
    log,
    registry,
    workers: workerGroup({ clock, log }),
    within: (path) => (isAbsolute(path) ? path : join(folder, path)),
    publicUrl: settings.publicUrl,
    metricSpace: (space) => (settings.metrics.spaces ? space : ''),
    ages: { bytes: mailDays * DAY, records: messageDays * DAY },
  };
}

/** What must be undone when the service stops, or cannot start: the last first. */
class Undo {
  readonly #steps: (() => void | Promise<void>)[] = [];
  add(step: (() => void | Promise<void>) | undefined): void {
    if (step !== undefined) this.#steps.push(step);
  }
  readonly run = async (): Promise<void> => {
    for (const step of this.#steps.splice(0).reverse()) await step();
  };
}

interface Opened {
  readonly runtime: Runtime;
  readonly store: Store;
  readonly settings: Settings;
  readonly secrets: Secrets;
  readonly undo: Undo;
}

/** Frees what an earlier run had under way. */
async function recover({ store, runtime: { clock, log } }: Opened): Promise<void> {
  const now = clock.now();
  // A clock that was set back while the service was not running: the newest record is of the future.
  const newest = store.deliveries.newestRecord();
  if (newest !== undefined && newest > now + JUMPED_MS) await store.deliveries.moveWaits({ from: newest, to: now }, store.write);
  await store.write((tx) => store.subscriptions.moveWaits(tx, now));
  const attempts = await store.write((tx) => store.deliveries.recover(tx, now));
  if (attempts > 0) log.warn({ attempts }, 'attempts were under way when the service ended; they are marked as uncertain');
}

/** Where the sockets are that the service opens itself. */
interface Reached {
  readonly url: string;
  readonly metricsPort: number | undefined;
}

/** Opens the sockets, HTTP last: from then on the service takes work. */
async function listen({ runtime, store, settings, secrets, undo }: Opened, built: Built): Promise<Reached> {
  for (const feature of built.features) {
    await feature.listen?.();
    undo.add(feature.closeSockets);
  }
  const { port: ownPort } = settings.metrics;
  const metrics = ownPort === undefined ? undefined : await listenMetrics(runtime.registry, { ...settings.metrics, port: ownPort });
  undo.add(metrics?.close);
  let isStopping = false;
  const app = makeApp({
    store,
    clock: runtime.clock,
    log: runtime.log,
    registry: runtime.registry,
    endpoints: built.features.flatMap((feature) => feature.endpoints ?? []),
    access: built.access,
    suppressing: built.suppressing,
    unsubscribeSecret: secrets.keyFor('unsubscribe'),
    publicUrl: settings.publicUrl,
    bodyBytes: settings.limits.bodyBytes,
    streams: settings.limits.streams,
    trustProxy: settings.listen.trustProxy,
    metrics: settings.metrics,
    consoleFolder: CONSOLE_FOLDER,
    readiness: readiness({
      store,
      databaseFile: runtime.within(settings.databaseFile),
      features: built.features,
      isStopping: () => isStopping,
    }),
    isStopping: () => isStopping,
  });
  const server = createServer(app);
  const { host: name, port } = settings.listen;
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error) => {
      reject(portFault(error, { host: name, port, setting: 'listen.port (VERBALIS_LISTEN_PORT)' }));
    });
    server.listen(port, name, resolve);
  });
  undo.add(() => {
    isStopping = true;
    return closeServer(server, app);
  });
  const address = server.address();
  const actual = typeof address === 'object' && address !== null ? address.port : port;
  return { url: `http://${name.includes(':') ? `[${name}]` : name}:${actual}`, metricsPort: metrics?.port };
}

/** Accepts no more requests, ends streams, and waits for the others, but not longer than some seconds. */
async function closeServer(server: Server, app: Express): Promise<void> {
  const closed = new Promise<void>((resolve) => {
    server.close(() => {
      resolve();
    });
  });
  server.closeIdleConnections();
  endStreams(app);
  const limit = setTimeout(() => {
    server.closeAllConnections();
  }, REQUESTS_MS);
  await closed;
  clearTimeout(limit);
}

/** Tells the features when the date jumps, one jump after the other. @returns a function that ends it */
function followClock(features: readonly Feature[], { clock, log }: Runtime): () => Promise<void> {
  let underWay: Promise<void> = Promise.resolve();
  const jumped = async (jump: ClockJump): Promise<void> => {
    for (const feature of features) await feature.clockJumped?.(jump);
  };
  const end = clock.onJump((jump) => {
    log.warn({ seconds: Math.round((jump.to - jump.from) / 1000) }, 'the clock jumped; waits go on as they were');
    underWay = underWay
      .then(() => jumped(jump))
      .catch((error: unknown) => {
        log.error({ err: error }, 'a clock jump could not be dealt with');
      });
  });
  return () => {
    end();
    return underWay;
  };
}

function memoryOf(features: readonly Feature[], { workers }: Runtime): Record<string, unknown> {
  const health = workers.health().map(({ name, state }) => `${name}: ${state === 'backing-off' ? 'backing off' : 'at work'}`);
  const remembered = features.flatMap((feature) => Object.entries(feature.memory?.() ?? {}));
  return { ...Object.fromEntries(remembered), workers: health.sort() };
}

/** Starts the service: opens the records and all features, then the sockets, then what runs by itself. @throws StartError */
export async function startService(options: StartOptions): Promise<Service> {
  const { settings, folder } = options.config;
  const clock = options.clock ?? SYSTEM_CLOCK;
  const runtime = makeRuntime(options.config, clock, makeLog(settings.log.level, options.logTo));
  const databaseFile = runtime.within(settings.databaseFile);
  const secrets = readSecrets(runtime.within(settings.secretsFile), options.operatorSecret, databaseFile);
  const store = await openStore(databaseFile, { log: runtime.log, clock, ...options.kernel });
  const undo = new Undo();
  undo.add(store.close);
  const all = { runtime, store, settings, secrets, undo };
  try {
    await recover(all);
    const { workers = 1 } = options;
    const built = await openFeatures({ runtime, store, settings, secrets, folder, threads: workers > 1 ? workers : 0 });
    const { features } = built;
    for (const feature of features) undo.add(feature.close);
    const rules = features.flatMap((feature) => feature.retention ?? []);
    const running: readonly Running[] = [
      ...features.flatMap((feature) => feature.running ?? []),
      retention({ store, workers: runtime.workers, clock, log: runtime.log, rules }),
    ];
    // It stops after the sockets have closed, so that nothing comes in any more.
    undo.add(async () => {
      await Promise.all(running.map((worker) => worker.stop()));
    });
    undo.add(followClock(features, runtime));
    const { url, metricsPort } = await listen(all, built);
    for (const worker of running) worker.start();
    runtime.log.info({ url, returnsPort: built.returnsPort() }, 'listening');
    return {
      url,
      metricsPort,
      returnsPort: built.returnsPort(),
      submissionPort: built.submissionPort(),
      submissionTlsPort: built.submissionTlsPort(),
      busy: () => store.busy() || runtime.workers.busy() || features.some((feature) => feature.isBusy?.() === true),
      memory: () => memoryOf(features, runtime),
      writeNow: store.writeNow,
      backup: store.backup,
      signInLink: () => built.signInLink(settings.publicUrl ?? url),
      operatorSecret: secrets.operator,
      stop: undo.run,
    };
  } catch (error) {
    await undo.run();
    // A mail folder of the configuration that cannot be published.
    if (error instanceof Refusal) throw new StartError(error.message);
    throw startErrorOf(error, databaseFile);
  }
}

/** Copies the database, also while a service runs on it. @throws StartError */
export async function backupDatabase({ settings, folder }: ReadConfig, file: string): Promise<void> {
  const path = isAbsolute(settings.databaseFile) ? settings.databaseFile : join(folder, settings.databaseFile);
  if (!existsSync(path)) throw new StartError(`There is no database at ${path}.`);
  await copyDatabase(path, file);
}
