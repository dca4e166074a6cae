import { isAbsolute, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Express } from 'express';
import type { Logger } from 'pino';
import { Registry } from 'prom-client';
import {
  listenMetrics,
  retention,
  workerGroup,
  type Clock,
  type ClockJump,
  type Feature,
  type Running,
  type Runtime,
  type Secrets,
  type Standby,
} from '../kernel/index.js';
import type { Store } from '../records/index.js';
import type { ReadConfig } from '../settings/index.js';
import type { BuildOptions } from './build-options.js';
import { openFeatures, type Built } from './features.js';
import { makeApp } from './http.js';
import { readiness } from './readiness.js';

/** What stays the same for as long as the service runs. */
export interface Ground {
  readonly clock: Clock;
  readonly log: Logger;
  readonly store: Store;
  readonly secrets: Secrets;
  /** How many threads hand over; 0 where this one does. */
  readonly threads: number;
  /** The service is to end. */
  readonly isStopping: () => boolean;
  readonly reloading: BuildOptions['reloading'];
  /** What was published, ready to be used, whatever the configuration says. */
  readonly editions: BuildOptions['editions'];
  readonly links: BuildOptions['links'];
  readonly node: BuildOptions['node'];
  readonly elsewhere: BuildOptions['elsewhere'];
  /** Another service writes; this one answers reads. */
  readonly standby: Standby | undefined;
}

/** All features as one configuration has them, with what they run and listen to. */
export interface Generation {
  readonly config: ReadConfig;
  readonly runtime: Runtime;
  readonly built: Built;
  readonly app: Express;
  readonly metricsPort: number | undefined;
  /** Starts the background work. */
  readonly start: () => void;
  /** Ends the background work; the API still answers. */
  readonly rest: () => Promise<void>;
  /** Closes its sockets. */
  readonly closeSockets: () => Promise<void>;
  /** Waits for what its providers have under way, and frees what it holds. */
  readonly close: () => Promise<void>;
}

const CONSOLE_FOLDER = fileURLToPath(new URL('../../../console/dist', import.meta.url));
const DAY = 24 * 3_600_000;

function makeRuntime({ settings, folder }: ReadConfig, { clock, log }: Ground): Runtime {
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

/** What must be undone, the last first. */
export class Undo {
  readonly #steps: (() => void | Promise<void>)[] = [];
  add(step: (() => void | Promise<void>) | undefined): void {
    if (step !== undefined) this.#steps.push(step);
  }
  readonly run = async (): Promise<void> => {
    for (const step of this.#steps.splice(0).reverse()) await step();
  };
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

/** Ends background work: each worker is stopped once, whether it rested before or not. */
function stoppedOnce(running: readonly Running[]): Required<Pick<Running, 'rest' | 'stop'>> {
  const left = new Set(running);
  return {
    rest: async () => {
      await Promise.all(
        [...left].map((worker) => {
          if (worker.rest !== undefined) return worker.rest();
          left.delete(worker);
          return worker.stop();
        }),
      );
    },
    stop: async () => {
      const last = [...left];
      left.clear();
      await Promise.all(last.map((worker) => worker.stop()));
    },
  };
}

function appOf({ settings }: ReadConfig, built: Built, runtime: Runtime, { store, isStopping, standby, node }: Ground): Express {
  return makeApp({
    store,
    clock: runtime.clock,
    log: runtime.log,
    registry: runtime.registry,
    endpoints: built.features.flatMap((feature) => feature.endpoints ?? []),
    access: built.access,
    // A standby writes nothing down, and answers nothing that must be.
    audit: standby === undefined ? built.audit : undefined,
    consentPages: built.consentPages,
    hitPages: built.hitPages,
    hosts: { names: settings.listen.hosts, isLinkHost: built.isLinkHost },
    sharedDomains: built.sharedDomains,
    confirmPages: built.confirmPages,
    permitCors: built.permitCors,
    publicUrl: settings.publicUrl,
    bodyBytes: settings.limits.bodyBytes,
    streams: settings.limits.streams,
    trustProxy: settings.listen.trustProxy,
    metrics: settings.metrics,
    consoleFolder: CONSOLE_FOLDER,
    standby,
    doubtMs: node === undefined ? undefined : store.doubtMs,
    readiness: readiness({
      store,
      databaseFile: runtime.within(settings.databaseFile),
      features: built.features,
      isStopping,
      standby,
    }),
    isStopping,
  });
}

/**
 * Opens all features of a configuration, and their sockets. On a failure all is closed again.
 * @param keepEditions where a mail folder cannot be published, the edition that is in use stays
 * @throws StartError, Refusal
 */
export async function openGeneration(config: ReadConfig, ground: Ground, { keepEditions = false } = {}): Promise<Generation> {
  const { settings, folder } = config;
  const { store, secrets, threads, clock, log, reloading, editions, links, node, elsewhere, standby } = ground;
  const runtime = makeRuntime(config, ground);
  const [rooms, sockets] = [new Undo(), new Undo()];
  try {
    const built = await openFeatures({
      runtime,
      store,
      settings,
      secrets,
      folder,
      threads,
      reloading,
      origins: config.origins,
      editions,
      links,
      keepEditions,
      node,
      elsewhere,
      isStandby: standby !== undefined,
    });
    const { features } = built;
    for (const feature of features) rooms.add(feature.close);
    const rules = features.flatMap((feature) => feature.retention ?? []);
    const running: readonly Running[] = [
      ...features.flatMap((feature) => feature.running ?? []),
      retention({ store, workers: runtime.workers, clock, log, rules }),
    ];
    const workers = stoppedOnce(running);
    const unfollow = followClock(features, runtime);
    rooms.add(unfollow);
    // Nothing but reads comes in to a standby.
    for (const feature of standby === undefined ? features : []) {
      await feature.listen?.();
      sockets.add(feature.closeSockets);
    }
    const { port: ownPort } = settings.metrics;
    const metrics = ownPort === undefined ? undefined : await listenMetrics(runtime.registry, { ...settings.metrics, port: ownPort });
    sockets.add(metrics?.close);
    return {
      config,
      runtime,
      built,
      app: appOf(config, built, runtime, ground),
      metricsPort: metrics?.port,
      start: () => {
        for (const worker of running) worker.start();
      },
      rest: workers.rest,
      closeSockets: sockets.run,
      close: async () => {
        try {
          await workers.stop();
        } finally {
          await rooms.run();
        }
      },
    };
  } catch (error) {
    await sockets.run();
    await rooms.run();
    throw error;
  }
}
