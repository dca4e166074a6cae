import { existsSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { dirname, isAbsolute, join, resolve } from 'node:path';
import { pino, type DestinationStream, type Logger } from 'pino';
import { copyLedger, ledgerIn } from '../features/copies/index.js';
import type { Finding } from '../features/doctor/index.js';
import type { ClusterNode } from '../features/cluster/index.js';
import { editionCache, sharedCompiler } from '../features/editions/index.js';
import { openLinkListener, type LinkListener } from '../features/engagement/index.js';
import {
  portFault,
  positionOf,
  readSecrets,
  Refusal,
  StartError,
  startErrorOf,
  SYSTEM_CLOCK,
  takeSnapshot,
  type ChangeSink,
  type Clock,
  type Feature,
  type KernelOptions,
  type LogPlace,
  type Manifest,
  type Runtime,
} from '../kernel/index.js';
import { openStore } from '../records/index.js';
import type { ReadConfig, SettingChange, Settings } from '../settings/index.js';
import { Front } from './front.js';
import { openGeneration, Undo, type Generation, type Ground } from './generation.js';
import { readerHosts } from './hosts.js';
import { hitsBeside } from './readers.js';
import { reloader, type Reload } from './reload.js';

export interface StartOptions {
  readonly config: ReadConfig;
  readonly operatorSecret?: string | undefined;
  readonly clock?: Clock;
  readonly logTo?: DestinationStream;
  /** How many threads hand over; 1 for none, where this one does. */
  readonly workers?: number;
  /** Reads the configuration again, for a reload. @throws StartError */
  readonly reread?: () => ReadConfig;
  /** Neither the new configuration nor the old one could be opened at a reload: nothing answers any more. */
  readonly failed?: (error: unknown) => void;
  /** For tests: faults of the database. */
  readonly kernel?: Pick<KernelOptions, 'group' | 'instrument'>;
}

export interface Service {
  /** Where it is reached: http://127.0.0.1:8620 */
  readonly url: string;
  /** Where metrics have a listener of their own. */
  readonly metricsPort: number | undefined;
  /** Where links of emails have a listener of their own. */
  readonly linksPort: number | undefined;
  readonly returnsPort: number;
  readonly submissionPort: number | undefined;
  /** The one that is secure from the first byte. */
  readonly submissionTlsPort: number | undefined;
  /** Whether something is under way, for those who move the clock: what waits for a time is not. */
  readonly busy: () => boolean;
  /** All that is remembered and follows from the database: a fresh start on the same file has the same. */
  readonly memory: () => Record<string, unknown>;
  /** Does now what waits for others to go with, for those who move the clock. */
  readonly writeNow: () => void;
  /** For how long it has not been known whether the last changes are stored by the cluster, in milliseconds. */
  readonly doubtMs: () => number;
  /** The position of the database in its cluster's log; undefined without a cluster. */
  readonly logPlace: () => LogPlace | undefined;
  /** What is missing or risky in how the service is set up. */
  readonly examine: () => Promise<Finding[]>;
  /** Makes an address that opens the console, once and for 15 minutes. */
  readonly signInLink: () => Promise<string>;
  readonly operatorSecret: string;
  /** Reads the configuration again. @returns what has changed @throws Refusal where it is not right; the old one stays in use then */
  readonly reload: () => Promise<readonly SettingChange[]>;
  /** Takes nothing more, finishes what is under way, closes. */
  readonly stop: () => Promise<void>;
}

/**
 * How long a connection without a request stays open: longer than proxies and clients keep theirs (usually a minute), so that it is they who
 * close it. A request on a connection that we close at this moment would be lost, and not every request can be repeated.
 */
const IDLE_MS = 75_000;

/** Records of a date that is so far ahead show that the clock was set back. */
const JUMPED_MS = 60_000;
/** How long requests that are under way may take once the service stops, in milliseconds. */
const REQUESTS_MS = 5000;

export function makeLog(level: string, logTo: DestinationStream | undefined): Logger {
  return pino(
    {
      level,
      base: undefined,
      redact: { paths: ['*.password', '*.secret', '*.key', 'authorization', 'cookie'], censor: '…' },
    },
    logTo ?? pino.destination({ dest: 2, sync: true }),
  );
}

/** Frees what an earlier run had under way. */
async function recover({ store, clock, log }: Ground): Promise<void> {
  const now = clock.now();
  // A clock that was set back while the service was not running: the newest record is of the future.
  const newest = store.deliveries.newestRecord();
  if (newest !== undefined && newest > now + JUMPED_MS) {
    await store.deliveries.moveWaits({ from: newest, to: now }, store.write);
    await store.write((tx) => store.signalMatches.moveWaits(tx, now - newest));
  }
  await store.write((tx) => store.subscriptions.moveWaits(tx, now));
  const attempts = await store.write((tx) => store.deliveries.recover(tx, now));
  if (attempts > 0) log.warn({ attempts }, 'attempts were under way when the service ended; they are marked as uncertain');
}

/** Opens the socket of the API. @returns its address */
export async function listen(front: Front, { host: name, port }: Settings['listen'], undo: Undo): Promise<string> {
  const server = createServer({ keepAliveTimeout: IDLE_MS }, front.handle);
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error) => {
      reject(portFault(error, { host: name, port, setting: 'listen.port (VERBALIS_LISTEN_PORT)' }));
    });
    server.listen(port, name, resolve);
  });
  undo.add(() => closeServer(server, front));
  const address = server.address();
  const actual = typeof address === 'object' && address !== null ? address.port : port;
  return `http://${name.includes(':') ? `[${name}]` : name}:${actual}`;
}

/** Accepts no more requests, ends streams, and waits for the others, but not longer than some seconds. */
async function closeServer(server: Server, front: Front): Promise<void> {
  const closed = new Promise<void>((resolve) => {
    server.close(() => {
      resolve();
    });
  });
  server.closeIdleConnections();
  front.endStreams();
  const limit = setTimeout(() => {
    server.closeAllConnections();
  }, REQUESTS_MS);
  await closed;
  clearTimeout(limit);
}

function memoryOf(features: readonly Feature[], { workers }: Runtime): Record<string, unknown> {
  const health = workers.health().map(({ name, state }) => `${name}: ${state === 'backing-off' ? 'backing off' : 'at work'}`);
  const remembered = features.flatMap((feature) => Object.entries(feature.memory?.() ?? {}));
  return { ...Object.fromEntries(remembered), workers: health.sort() };
}

function portsOf({
  built,
  metricsPort,
}: Generation): Pick<Service, 'metricsPort' | 'returnsPort' | 'submissionPort' | 'submissionTlsPort'> {
  return {
    metricsPort,
    returnsPort: built.returnsPort(),
    submissionPort: built.submissionPort(),
    submissionTlsPort: built.submissionTlsPort(),
  };
}

function isBusy({ runtime, built }: Generation): boolean {
  return runtime.workers.busy() || built.features.some((feature) => feature.isBusy?.() === true);
}

/** With one worker no thread is started: this one does the work. */
function threadsOf({ workers = 1 }: StartOptions): number {
  return workers > 1 ? workers : 0;
}

/** Reloads that are not begun once the service stops, and can be waited for. */
function untilStopped(reload: Reload, { isStopping }: Ground): { readonly reload: Reload; readonly settled: () => Promise<unknown> } {
  let last: Promise<unknown> = Promise.resolve();
  return {
    reload: async (except) => {
      if (isStopping()) throw new Refusal(409, 'service-stopping', 'The service is stopping');
      const underWay = reload(except);
      last = underWay.catch(() => undefined);
      return underWay;
    },
    settled: () => last,
  };
}

/** Neither the new nor the old configuration could be opened. */
function lostFor({ failed }: StartOptions, log: Logger): (error: unknown) => void {
  return (error) => {
    log.fatal({ err: error }, 'neither the new nor the old configuration could be opened');
    failed?.(error);
  };
}

/** Opens the listener for links, where there is one. @throws StartError */
async function openLinks(
  { links: { host, port }, listen: { hosts: names, trustProxy }, publicUrl }: Settings,
  { databaseFile, store, log, secrets }: Pick<Ground, 'store' | 'log' | 'secrets'> & { readonly databaseFile: string },
): Promise<LinkListener | undefined> {
  if (port === undefined) return undefined;
  const rules = { names: readerHosts({ publicUrl, names }), trustProxy };
  return openLinkListener({ host, port, log, file: hitsBeside(databaseFile), store, secret: secrets.keyFor('engagement'), rules });
}

/** Opens what stays open for as long as the service runs, whatever its configuration becomes. @throws StartError */
async function openLasting(options: StartOptions, place: Place | undefined) {
  const { settings, folder } = options.config;
  const clock = options.clock ?? SYSTEM_CLOCK;
  const log = makeLog(settings.log.level, options.logTo);
  const databaseFile = resolve(folder, settings.databaseFile);
  const secrets = readSecrets(resolve(folder, settings.secretsFile), options.operatorSecret, databaseFile);
  const captureChanges = settings.copies.folder !== undefined;
  const store = await openStore(databaseFile, {
    log,
    clock,
    secrets: secrets.fingerprint,
    captureChanges,
    ...(place === undefined ? {} : { sink: place.sink }),
    ...options.kernel,
  });
  const undo = new Undo();
  undo.add(store.close);
  const links = await openLinks(settings, { databaseFile, store, log, secrets }).catch(async (error: unknown) => {
    await undo.run();
    throw startErrorOf(error, databaseFile);
  });
  undo.add(links?.close);
  return { databaseFile, undo, lasting: { clock, log, store, secrets, links, threads: threadsOf(options) } };
}

/** What a service is given that is the primary of a cluster: its node has the socket, and goes on when this service ends. */
export interface Place {
  readonly front: Front;
  /** Where it is reached. */
  readonly url: string;
  readonly sink: ChangeSink;
  readonly node: ClusterNode;
  readonly elsewhere: Ground['elsewhere'];
}

/** Starts the service: opens the records and all features, then the sockets, then the workers. @throws StartError */
export async function startService(options: StartOptions, place?: Place): Promise<Service> {
  const { databaseFile, undo, lasting } = await openLasting(options, place);
  const { log, store, secrets, links } = lasting;
  const front = place?.front ?? new Front();
  let isStopping = false;
  let current: Generation;
  const ground: Ground = {
    ...lasting,
    isStopping: () => isStopping,
    reloading: { reload: (except) => reload(except) },
    editions: editionCache(store, sharedCompiler()),
    node: place?.node,
    elsewhere: place?.elsewhere,
    standby: undefined,
  };
  const { reload, settled } = untilStopped(
    reloader({
      ground,
      front,
      reread: options.reread,
      current: () => current,
      replace: (generation) => {
        current = generation;
      },
      failed: lostFor(options, log),
    }),
    ground,
  );
  try {
    await recover(ground);
    current = await openGeneration(options.config, ground);
    // It stops after the sockets have closed, so that nothing comes in any more.
    undo.add(() => current.close());
    undo.add(() => current.closeSockets());
    const url = place?.url ?? (await listen(front, options.config.settings.listen, undo));
    front.open(current.app);
    current.start();
    log.info({ url, returnsPort: current.built.returnsPort() }, 'listening');
    return {
      url,
      linksPort: links?.port,
      ...portsOf(current),
      busy: () => store.busy() || isBusy(current),
      memory: () => memoryOf(current.built.features, current.runtime),
      writeNow: store.writeNow,
      doubtMs: store.doubtMs,
      logPlace: () => positionOf(store.reads),
      examine: () => current.built.examine(),
      signInLink: () => current.built.signInLink(current.config.settings.publicUrl ?? url),
      operatorSecret: secrets.operator,
      reload,
      stop: async () => {
        isStopping = true;
        await settled();
        await undo.run();
      },
    };
  } catch (error) {
    await undo.run();
    // A mail folder of the configuration that cannot be published.
    if (error instanceof Refusal) throw new StartError(error.message);
    throw startErrorOf(error, databaseFile);
  }
}

/** Copies the database of a configuration, also while a service runs on it. @throws StartError */
export function backupDatabase({ settings, folder }: ReadConfig, file: string): Manifest {
  const path = isAbsolute(settings.databaseFile) ? settings.databaseFile : join(folder, settings.databaseFile);
  if (!existsSync(path)) throw new StartError(`There is no database at ${path}.`);
  const manifest = takeSnapshot(path, file, Date.now());
  copyLedger(`${path}.erasures`, ledgerIn(dirname(file)));
  return manifest;
}
