import { existsSync, readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { isAbsolute, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Express } from 'express';
import { pino, type DestinationStream, type Logger } from 'pino';
import { acceptor } from './accept/index.js';
import {
  copyDatabase,
  StartError,
  startErrorOf,
  SYSTEM_CLOCK,
  workerGroup,
  type Clock,
  type KernelOptions,
  type Tx,
} from './kernel/index.js';
import { readSecrets, type ReadConfig } from './config/index.js';
import { editionCache, EditionError, sharedCompiler } from './editions/index.js';
import { FolderError, readMailFolder } from './mail-folder/index.js';
import type { SpaceSummary } from './http/access.js';
import { makeApp } from './http/app.js';
import { SIGN_IN_MS } from './http/session.js';
import { endStreams } from './http/stream.js';
import { listenReturns, listenSubmission, returnIntake } from './intake/index.js';
import { eventFeed, notifier } from './notify/index.js';
import { alertMails, alertRules, alertWatch, figureKeeper, retention, retentionRules, senderFaultNotes } from './watch/index.js';
import { mailBytes } from '@verbalis/core/mime';
import { callbackDesk } from './callbacks/index.js';
import { simulator } from './capture/index.js';
import { composeMail, providerTrial, testSending } from './dispatch/index.js';
import { dispatching } from './dispatching.js';
import { openStore } from './store/index.js';
import { editionWriting } from './writing/index.js';

export { StartError } from './kernel/index.js';
export type { Clock } from './kernel/index.js';

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
  readonly returnsPort: number;
  readonly submissionPort: number | undefined;
  /** Copies the running database to a file. */
  readonly backup: (file: string) => Promise<void>;
  /** Whether something is under way, for those who move the clock: what waits for a time is not. */
  readonly busy: () => boolean;
  /** All that is remembered and follows from the database: a fresh start on the same file has the same. */
  readonly memory: () => Record<string, unknown>;
  /** Does now what waits for others to go with, for those who move the clock. */
  readonly hurry: () => void;
  /** An address that opens the console, once. */
  readonly signInUrl: string;
  readonly operatorSecret: string;
  /** Takes nothing more, finishes what is under way, closes. */
  readonly stop: () => Promise<void>;
}

const CONSOLE_FOLDER = fileURLToPath(new URL('../../console/dist', import.meta.url));

function portFault(error: unknown, option: string, host: string, port: number): StartError {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === 'EADDRINUSE') return new StartError(`Port ${port} on ${host} is in use. Set another as ${option}, or end what uses it.`);
  if (code === 'EACCES')
    return new StartError(`Port ${port} on ${host} may not be used by this user. Set another as ${option} (1024 or higher).`);
  return new StartError(`Cannot listen on ${host}:${port} (${option}): ${error instanceof Error ? error.message : String(error)}`);
}

function makeLog(level: string, logTo: DestinationStream | undefined): Logger {
  return pino(
    {
      level: level,
      base: undefined,
      redact: { paths: ['*.password', '*.secret', '*.key', 'authorization', 'cookie'], censor: '…' },
    },
    logTo ?? pino.destination({ dest: 2, sync: true }),
  );
}

/** Wires the service together and starts it: the only place that constructs things. @throws StartError */
export async function startService(options: StartOptions): Promise<Service> {
  const { settings, folder } = options.config;
  const clock = options.clock ?? SYSTEM_CLOCK;
  const within = (path: string): string => (isAbsolute(path) ? path : join(folder, path));
  const log = makeLog(settings.log.level, options.logTo);
  const databaseFile = within(settings.databaseFile);
  const secrets = readSecrets(within(settings.secretsFile), options.operatorSecret, databaseFile);
  const store = await openStore(databaseFile, { log, clock, ...options.kernel });
  const closing: (() => void | Promise<void>)[] = [store.close];
  const undo = async (): Promise<void> => {
    for (const close of closing.splice(0).reverse()) await close();
  };
  try {
    const now = clock.now();
    const workers = workerGroup({ clock, log });
    const interrupted = await store.write((tx) => store.deliveries.recover(tx, now));
    if (interrupted > 0)
      log.warn({ attempts: interrupted }, 'attempts were under way when the service ended; they are marked as uncertain');

    const editions = editionCache(store, sharedCompiler());
    const writing = editionWriting(store);
    for (const [name, space] of Object.entries(settings.spaces)) {
      // Without a folder, a space has what is published to it.
      const row =
        space.mailFolder === undefined
          ? store.editions.current(name)
          : await editions.publish(name, await readMailFolder(within(space.mailFolder)), now);
      log.info({ space: name, mode: space.mode, edition: row?.number }, 'space ready');
    }

    const threads = (options.workers ?? 1) > 1 ? (options.workers ?? 1) : 0;
    const { dispatcher, pool, providers, traffic, keys, sources, unsubscribe, returnSecret, unsubscribeSecret, suppressing, capturing } =
      dispatching({
        settings,
        within,
        folder,
        store,
        workers,
        threads,
        editions,
        secrets,
        clock,
        log,
      });
    closing.push(async () => {
      await pool.stop();
      for (const provider of providers.values()) provider.close();
    });
    // Everything that runs by itself; it stops after the interfaces have closed, so that nothing comes in any more.
    const running: { readonly start: () => void; readonly stop: () => Promise<void> }[] = [];
    closing.push(async () => {
      await Promise.all(running.map((one) => one.stop()));
      await writing.close();
    });

    const intake = returnIntake({ store, clock, log, suppressing, domain: settings.returns.domain, secret: returnSecret });
    const forged = { count: 0 };
    const { tls } = settings.returns;
    const listener = await listenReturns(settings.returns.host, settings.returns.port, {
      intake,
      log,
      domain: settings.returns.domain,
      maxBytes: settings.returns.maxBytes,
      tls:
        tls === undefined
          ? undefined
          : { cert: readFileSync(within(tls.certFile), 'utf8'), key: readFileSync(within(tls.keyFile), 'utf8') },
      connectionsPerMinute: settings.returns.connectionsPerMinute,
      forged: () => {
        forged.count += 1;
      },
    }).catch((error: unknown) => {
      throw portFault(error, 'returns.port (VERBALIS_RETURNS_PORT)', settings.returns.host, settings.returns.port);
    });
    closing.push(listener.close);

    const spaceNames = Object.keys(settings.spaces);
    const forgetCaptured = (tx: Tx): number => spaceNames.reduce((sum, name) => sum + capturing.forget(tx, name), 0);
    const forgetting = retention({ store, workers, clock, log, rules: retentionRules(store, settings.keep, forgetCaptured) });
    const profiles = new Map(
      Object.entries(settings.providers).flatMap(([name, one]) =>
        one.kind === 'http' && one.callbacks !== undefined ? [[name, one.callbacks]] : [],
      ),
    );
    const desk = callbackDesk({ store, workers, clock, log, suppressing, profiles });
    const feed = eventFeed(store);
    const rules = alertRules(settings, store);
    const counting = figureKeeper({ store, workers, clock, feed });
    const alerting = alertWatch({ store, workers, clock, log, feed, rules });
    const notifying = notifier({
      store,
      workers,
      clock,
      log,
      feed,
      rules: { allow: settings.outside.allow },
      master: secrets.keyFor('webhooks'),
      publicUrl: settings.publicUrl,
      origin: settings.publicUrl === undefined ? settings.helloName : new URL(settings.publicUrl).hostname,
      random: Math.random,
    });
    let ready = true;
    let submissionPort: number | undefined;
    const spaces = new Map<string, SpaceSummary>();
    const accept = acceptor({
      store,
      editions,
      clock,
      spaces: new Map(Object.entries(settings.spaces)),
      attachmentBytes: settings.limits.attachmentBytes,
      maxRecipients: settings.limits.recipients,
      against: (row, from) => suppressing.against(row, from),
      wake: dispatcher.wake,
    });
    const operators = new Map(Object.entries(settings.spaces).map(([name, space]) => [name, space.operator]));
    const faultNotes = senderFaultNotes({ store, workers, clock, accept, suppressing, operators });
    const alertNotes = alertMails({ store, workers, clock, accept, feed, operators, publicUrl: settings.publicUrl });
    const tryProvider = providerTrial({
      clock,
      keysFor: (domain) => keys.keysFor(domain),
      senderOf: (space) => settings.spaces[space]?.sender ?? editions.loaded(space)?.project.settings.sender,
    });
    if (settings.submission.port !== undefined) {
      const { host: submitHost, port: submitPort } = settings.submission;
      const submission = await listenSubmission(submitHost, submitPort, {
        store,
        accept,
        log,
        name: settings.helloName,
        maxBytes: settings.limits.bodyBytes,
        maxRecipients: settings.limits.recipients,
        spaces: new Set(Object.keys(settings.spaces)),
        openTo: settings.submission.openTo,
      }).catch((error: unknown) => {
        throw portFault(error, 'submission.port (VERBALIS_SUBMISSION_PORT)', submitHost, submitPort);
      });
      submissionPort = submission.port;
      closing.push(submission.close);
    }
    for (const [name, space] of Object.entries(settings.spaces)) {
      const { openTo, host: at } = settings.submission;
      spaces.set(name, {
        mode: space.mode,
        mark: space.mark?.text,
        allowed: space.recipients?.allowed,
        redirectTo: space.recipients?.redirectTo,
        archive: space.archive,
        submission: openTo === name && submissionPort !== undefined ? `${at}:${submissionPort}` : undefined,
      });
    }
    const app = makeApp({
      store,
      workers,
      clock,
      log,
      accept,
      editions,
      signing: keys,
      traffic,
      wake: dispatcher.wake,
      intake,
      desk,
      suppressing,
      unsubscribeSecret,
      capturing,
      simulate: simulator({
        store,
        clock,
        intake,
        bytesOf: (row) => capturing.bytesOf(row),
        returnDomain: settings.returns.domain,
        returnSecret,
      }),
      feed,
      publicUrl: settings.publicUrl,
      notifying,
      rules,
      alerting,
      writing,
      testing: testSending({ capturing, providers, tryProvider }),
      forged: () => forged.count,
      returnBytes: settings.returns.maxBytes,
      providers,
      tryProvider,
      operators,
      compose: async (message, delivery) => mailBytes((await composeMail(sources, message, delivery, unsubscribe(delivery))).mail),
      attachmentBytes: settings.limits.attachmentBytes,
      spaces,
      operatorSecret: secrets.operator,
      bodyBytes: settings.limits.bodyBytes,
      consoleFolder: CONSOLE_FOLDER,
      secure: settings.publicUrl?.startsWith('https:') ?? false,
      ready: () => ready,
    });
    const server = createServer(app);
    const { host, port } = settings.listen;
    await new Promise<void>((resolve, reject) => {
      server.once('error', (error) => {
        reject(portFault(error, 'listen.port (VERBALIS_LISTEN_PORT)', host, port));
      });
      server.listen(port, host, resolve);
    });
    closing.push(() => {
      ready = false;
      return closeServer(server, app);
    });
    running.push(dispatcher, desk, notifying, counting, alerting, faultNotes, alertNotes, forgetting);
    for (const one of running) one.start();
    const address = server.address();
    const actual = typeof address === 'object' && address !== null ? address.port : port;
    const url = `http://${host.includes(':') ? `[${host}]` : host}:${actual}`;
    const token = await store.write((tx) => store.access.open(tx, 'sign-in', now, now + SIGN_IN_MS));
    log.info({ url, returnsPort: listener.port }, 'listening');
    return {
      url,
      returnsPort: listener.port,
      submissionPort,
      busy: () => dispatcher.busy || store.busy() || notifying.busy || workers.busy(),
      memory: () => ({
        traffic: traffic.memory(clock.now()),
        subscriptions: notifying.memory(),
        rules: alerting.memory(),
        editions: Object.fromEntries(spaceNames.map((name) => [name, editions.loaded(name)?.number])),
        keys: Object.fromEntries(keys.domains().map((domain) => [domain, keys.keysFor(domain).map((one) => one.selector)])),
        workers: workers
          .health()
          .map(({ name, state }) => `${name}: ${state === 'backing-off' ? 'backing off' : 'at work'}`)
          .sort(),
      }),
      hurry: store.hurry,
      backup: store.backup,
      signInUrl: `${settings.publicUrl ?? url}/sign-in#token=${token}`,
      operatorSecret: secrets.operator,
      stop: undo,
    };
  } catch (error) {
    await undo();
    if (error instanceof EditionError || error instanceof FolderError) throw new StartError(error.message);
    throw startErrorOf(error, databaseFile);
  }
}

/** How long requests that are under way may take once the service stops, in milliseconds. */
const REQUESTS_MS = 5000;

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

/** Copies the database, also while a service runs on it. @throws StartError */
export async function backupDatabase({ settings, folder }: ReadConfig, file: string): Promise<void> {
  const path = isAbsolute(settings.databaseFile) ? settings.databaseFile : join(folder, settings.databaseFile);
  if (!existsSync(path)) throw new StartError(`There is no database at ${path}.`);
  await copyDatabase(path, file);
}
