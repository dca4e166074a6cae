import type { Registry } from 'prom-client';
import type { Logger } from 'pino';
import type { Clock, ClockJump } from './clock.js';
import type { ServedEndpoint } from './endpoint.js';
import type { RetentionAges, RetentionRule } from './retention.js';
import type { WorkerGroup } from './worker.js';

/** What every feature is given. */
export interface Runtime {
  readonly clock: Clock;
  readonly log: Logger;
  readonly workers: WorkerGroup;
  /** Where a feature registers its metrics. */
  readonly registry: Registry;
  /** Under which name a space is in metrics: its own where that is wanted, else all are one. */
  readonly metricSpace: (space: string) => string;
  /** A path of the configuration, which may start from its folder. */
  readonly within: (path: string) => string;
  /** The address under which people reach the service; links start with it. */
  readonly publicUrl: string | undefined;
  /** How long records are kept. */
  readonly ages: RetentionAges;
}

/** Background work. */
export interface Running {
  readonly start: () => void;
  /** Begins nothing more; what is under way with the outside may go on until `stop`. The same as `stop` where there is no such thing. */
  readonly rest?: () => Promise<void>;
  /** Ends when nothing of it is under way. */
  readonly stop: () => Promise<void>;
}

/** What a feature contributes to the service; all parts are optional. */
export interface Feature {
  readonly name: string;
  readonly endpoints?: readonly ServedEndpoint[];
  readonly running?: readonly Running[];
  readonly retention?: readonly RetentionRule[];
  /** What it remembers beside the database, and what follows from the database: a fresh start on the same file remembers the same. */
  readonly memory?: () => Readonly<Record<string, unknown>>;
  /** Tables whose rows it reads once and keeps: it must be reopened after another process has changed them (on a standby). */
  readonly remembers?: readonly string[];
  /** Whether something of it is under way that the worker group does not know. */
  readonly isBusy?: () => boolean;
  /** The date jumped: stored dates are corrected. */
  readonly clockJumped?: (jump: ClockJump) => void | Promise<void>;
  /** What keeps it from taking work, in a sentence; for what watches the service. */
  readonly fault?: () => string | undefined;
  /** Opens its sockets, when all features are there. @throws StartError */
  readonly listen?: () => Promise<void>;
  /** Closes its sockets: nothing comes in any more. */
  readonly closeSockets?: () => Promise<void>;
  /** Frees what it holds, after everything has stopped. */
  readonly close?: () => void | Promise<void>;
}
