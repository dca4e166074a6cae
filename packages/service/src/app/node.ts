import { existsSync } from 'node:fs';
import { isAbsolute, join, resolve } from 'node:path';
import type { Logger } from 'pino';
import {
  announce,
  callsOver,
  clusterStatus,
  deliveryWorkers,
  holderOf,
  logBounds,
  logSink,
  membersOf,
  openCluster,
  takeLease,
  wantedNode,
  wantNode,
  type Calls,
  type Cluster,
  type ClusterMeasures,
  type ClusterNode,
  type DeliveryWorkers,
  type Holder,
  type Lease,
  type Member,
} from '../features/cluster/index.js';
import {
  inTime,
  listeners,
  readSecrets,
  Refusal,
  StartError,
  startErrorOf,
  SYSTEM_CLOCK,
  type Clock,
  type Secrets,
} from '../kernel/index.js';
import type { Elsewhere, WorkerMethods } from '../features/queue/index.js';
import { besideDatabase, type Beside } from './beside.js';
import { sealKeys } from './deliver.js';
import { Front, startingApp } from './front.js';
import { Undo } from './generation.js';
import type { Node, NodeOptions, Role } from './node-options.js';
import { listen, makeLog, startService, type Service } from './service.js';
import { snapshotKeeper, type SnapshotKeeper } from './node-snapshots.js';
import { clusterWatch, type ClusterWatch } from './cluster-watch.js';
import { discardFor, ForeignFile, openStandby, prepareFile, type StandbyPart } from './standby.js';

/** How often a standby looks whether there is a primary, and a primary whether another node is wanted; after a step that failed. In milliseconds. */
const [LOOK_MS, AGAIN_MS] = [1000, 1000];
/** How long what is under way with the brokers keeps a node from ending, in milliseconds. */
const STOP_MS = 20_000;
/** How often a standby fetches what the primary has beside its database, in milliseconds. */
const FETCH_MS = 10_000;
/** Reads of a standby that are under way do not hold up a take-over for longer, in milliseconds. */
const READS_MS = 1000;

class ClusterService {
  readonly #undo = new Undo();
  readonly #changes = listeners();
  readonly #front = new Front();
  readonly #clock: Clock;
  readonly #file: string;
  readonly #beside: Beside;
  readonly #snapshots: SnapshotKeeper;
  readonly #watch: ClusterWatch;
  readonly #calls: Calls;
  #workers: DeliveryWorkers | undefined;
  #besideDue = 0;
  #url = '';
  #role: Role = 'starting';
  #service: Service | undefined;
  #standby: StandbyPart | undefined;
  #lease: Lease | undefined;
  #holder: Holder | undefined;
  /** Why the last step failed. */
  #problem: string | undefined;
  /** Why brokers do not confirm what the service writes. */
  #doubt: string | undefined;
  #isStopping = false;
  #isDrained = false;
  /** There was no primary at the last look. */
  #wasFree = false;
  /** Another node writes, or has the lease. */
  #isSuperseded = false;
  /** Why the log cannot be followed any further. */
  #broken: { readonly why: unknown } | undefined;
  #loop: Promise<void> = Promise.resolve();
  #wake: () => void = () => undefined;
  #fail: (why: string) => void = () => undefined;
  readonly failed = new Promise<string>((resolve) => {
    this.#fail = resolve;
  });

  constructor(
    private readonly options: NodeOptions,
    private readonly cluster: Cluster,
    private readonly log: Logger,
  ) {
    this.#clock = options.clock ?? SYSTEM_CLOCK;
    this.#file = resolve(options.config.folder, options.config.settings.databaseFile);
    this.#watch = clusterWatch({ clock: this.#clock, changed: this.#changes.call, look: () => logBounds(cluster) });
    this.#calls = callsOver(cluster.connection);
    const { snapshotHours } = options.config.settings.cluster;
    this.#snapshots = snapshotKeeper({ cluster, file: this.#file, clock: this.#clock, log, snapshotHours });
    this.#beside = besideDatabase(cluster, options, this.#clock);
  }

  readonly role = (): Role => this.#role;
  readonly primary = (): Service | undefined => this.#service;

  get url(): string {
    return this.#url;
  }

  /** @throws StartError */
  async start(): Promise<void> {
    this.#url = await listen(this.#front, this.options.config.settings.listen, this.#undo);
    this.#front.open(startingApp(this.log));
    const presence = announce({ bucket: this.cluster.nodes, clock: this.#clock, log: this.log }, () => this.#member());
    this.#undo.add(presence.stop);
    // The first part is found before this resolves: what cannot work at all is said at the start.
    await this.#findPart();
    this.#loop = this.#run();
  }

  async stop(): Promise<void> {
    this.#isStopping = true;
    this.#wake();
    // A step that waits for brokers that do not answer ends no later than its questions; a snapshot may take long.
    await inTime(STOP_MS, this.#loop);
    await this.#leavePart();
    await inTime(STOP_MS, this.#snapshots.settled());
    await this.#undo.run();
    this.#calls.close();
    await this.cluster.close();
  }

  readonly node: ClusterNode = {
    status: async () => {
      try {
        const view = await clusterStatus(this.cluster, { node: this.cluster.node, role: this.#role, problem: this.#trouble() });
        return this.#role === 'primary' ? { ...view, workers: [...(this.#workers?.known() ?? [])] } : view;
      } catch (error) {
        throw new Refusal(503, 'brokers-silent', 'The brokers of the cluster do not answer', { detail: (error as Error).message });
      }
    },
    promote: async () => {
      if (this.#role === 'primary') throw new Refusal(409, 'primary-already', 'This node is the primary already');
      if (this.#role !== 'standby' || !this.options.config.settings.cluster.takesOver)
        throw new Refusal(409, 'not-promotable', 'This node cannot become the primary', {
          detail: this.#role === 'standby' ? 'cluster.takesOver is false.' : `It is ${this.#role}.`,
        });
      await wantNode(this.cluster.lease, this.cluster.node);
      return this.cluster.node;
    },
    drain: (isDrained) => {
      this.#isDrained = isDrained;
      this.#wake();
    },
    trouble: () => (this.#role === 'primary' ? (this.#trouble() ?? this.#watch.trouble()) : undefined),
    onChange: this.#changes.add,
    measures: () => this.#measures(),
  };

  #measures(): ClusterMeasures {
    const { records, ms } = this.#standby?.lag() ?? { records: 0, ms: 0 };
    return {
      isPrimary: this.#role === 'primary',
      lagRecords: records,
      lagSeconds: ms / 1000,
      standbys: this.#watch.members().filter(({ role }) => role === 'standby').length,
      doubtSeconds: (this.#service?.doubtMs() ?? 0) / 1000,
    };
  }

  #member(): Member {
    const { url, takesOver } = this.options.config.settings.cluster;
    const { lagRecords, lagSeconds } = this.#measures();
    return {
      node: this.cluster.node,
      role: this.#role,
      url: url ?? this.#url,
      version: this.options.version,
      seq: this.#standby?.place().seq ?? this.#service?.logPlace()?.seq ?? 0,
      lagRecords,
      lagMs: lagSeconds * 1000,
      takesOver: takesOver && !this.#isDrained,
      at: this.#clock.now(),
      problem: this.#trouble(),
    };
  }

  #secrets(): Secrets {
    const { config, operatorSecret } = this.options;
    return readSecrets(resolve(config.folder, config.settings.secretsFile), operatorSecret, this.#file);
  }

  #setRole(role: Role): void {
    if (role === this.#role) return;
    this.#role = role;
    this.log.info({ role, node: this.cluster.node }, 'the part of this node in its cluster');
    this.#changes.call();
    this.options.changed?.(role);
  }

  /** Why this node cannot do its part, or cannot know whether what it writes is stored. */
  readonly #trouble = (): string | undefined => this.#doubt ?? this.#problem;

  #setProblem(problem: string | undefined): void {
    if (problem === this.#problem) return;
    this.#problem = problem;
    this.#changes.call();
  }

  /** Waits for so long, or until something has happened. */
  async #wait(ms: number): Promise<void> {
    if (this.#isStopping) return;
    let cancel: () => void = () => undefined;
    await new Promise<void>((done) => {
      this.#wake = done;
      cancel = this.#clock.after(ms, done);
    });
    cancel();
  }

  async #run(): Promise<void> {
    while (!this.#isStopping) {
      try {
        if (this.#role === 'primary') await this.#lead();
        else if (this.#role === 'starting') await this.#findPart();
        else await this.#stand();
      } catch (error) {
        this.log.error({ err: error }, 'a step of this node failed; it is tried again');
        // A file that is not of this cluster any more is for a person to decide about; what keeps a node from taking over may pass.
        if (error instanceof ForeignFile) {
          this.#fail(error.message);
          return;
        }
        this.#setProblem(`A step failed, and is tried again: ${error instanceof Error ? error.message : String(error)}`);
        await this.#wait(AGAIN_MS);
      }
    }
  }

  /** A step of a primary: whether it still is, and whether another node is to be. */
  async #lead(): Promise<void> {
    await this.#wait(LOOK_MS);
    if (this.#isStopping) return;
    if (this.#isSuperseded) {
      await this.#leavePart();
      return;
    }
    const [members, wanted] = await Promise.all([membersOf(this.cluster), wantedNode(this.cluster.lease)]);
    await this.#watch.note(members);
    const able = members.filter(({ node, role, takesOver }) => role === 'standby' && takesOver && node !== this.cluster.node);
    const next = able.find(({ node }) => node === wanted) ?? (this.#isDrained ? able[0] : undefined);
    if (next !== undefined) {
      this.log.info({ to: next.node }, 'another node is to be the primary');
      await wantNode(this.cluster.lease, next.node);
      await this.#leavePart();
      return;
    }
    await this.#beside.give();
    await this.#snapshots.whenDue();
    this.#setProblem(undefined);
  }

  /** A step of a standby: takes over where there is no primary. */
  async #stand(): Promise<void> {
    await this.#wait(LOOK_MS);
    if (this.#isStopping) return;
    if (this.#broken !== undefined) {
      const { why } = this.#broken;
      await this.#leavePart();
      discardFor(why, this.#file);
      return;
    }
    this.#setRole(this.#isDrained ? 'drained' : 'standby');
    if (await this.#isFree()) {
      // The primary may only have been cut off from the brokers, as this node was: it goes first.
      if (this.#wasFree) await this.#takeOver();
      this.#wasFree = true;
      return;
    }
    this.#wasFree = false;
    if (this.#clock.elapsed() >= this.#besideDue) {
      await this.#beside.fetch();
      this.#besideDue = this.#clock.elapsed() + FETCH_MS;
    }
    this.#setProblem(undefined);
  }

  /** Whether nobody is the primary, and this node may be. */
  async #isFree(): Promise<boolean> {
    const [holder, wanted] = await Promise.all([holderOf(this.cluster.lease), wantedNode(this.cluster.lease)]);
    this.#holder = holder;
    const isWanted = wanted === undefined || wanted === this.cluster.node;
    return holder === undefined && isWanted && !this.#isDrained && this.options.config.settings.cluster.takesOver;
  }

  /** Finds a part: that of the primary where nobody has it, else that of a standby. */
  async #findPart(): Promise<void> {
    this.#broken = undefined;
    await prepareFile(this.cluster, this.#file, this.log);
    this.#standby = await openStandby({
      options: this.options,
      cluster: this.cluster,
      node: this.node,
      standby: { primary: () => this.#holder?.url ?? this.#holder?.node },
      front: this.#front,
      file: this.#file,
      clock: this.#clock,
      log: this.log,
      failed: (why) => {
        this.#broken = { why };
        this.#wake();
      },
    });
    try {
      if ((await this.#isFree()) && (await this.#takeOver())) return;
      await this.#standby.catchUp();
      await this.#standby.openReads();
    } catch (error) {
      const why = this.#whyBroken() ?? error;
      await this.#leavePart();
      discardFor(why, this.#file);
      throw why;
    }
    this.#setRole(this.#isDrained ? 'drained' : 'standby');
    this.#setProblem(undefined);
    this.#wasFree = false;
  }

  /** Why the log could not be followed; it is known before what waited for it fails. */
  #whyBroken(): unknown {
    return this.#broken?.why;
  }

  /** Becomes the primary. @returns false where another node was first */
  async #takeOver(): Promise<boolean> {
    const { url, leaseSeconds } = this.options.config.settings.cluster;
    const holder: Holder = { node: this.cluster.node, url: url ?? this.#url, since: this.#clock.now() };
    const superseded = (): void => {
      this.#isSuperseded = true;
      this.#wake();
    };
    this.#isSuperseded = false;
    const options = { bucket: this.cluster.lease, leaseMs: leaseSeconds * 1000, clock: this.#clock, log: this.log };
    const lease = await takeLease(options, holder, superseded);
    if (lease === undefined) return false;
    this.#lease = lease;
    const from = performance.now();
    this.log.warn({ node: this.cluster.node }, 'there is no primary: this node takes over');
    try {
      await this.#standby?.takeLog();
      const caughtUp = performance.now();
      await this.#beside.fetch();
      await this.#beside.give();
      await this.#closeStandby();
      this.log.info(
        { catchUpMs: Math.round(caughtUp - from), besideMs: Math.round(performance.now() - caughtUp) },
        'this node has everything',
      );
      const sink = logSink(this.cluster, {
        log: this.log,
        superseded,
        doubted: (why) => {
          const isNew = why !== this.#doubt;
          this.#doubt = why;
          if (isNew) this.#changes.call();
        },
      });
      const { front, url: own } = { front: this.#front, url: this.#url };
      this.#service = await startService(this.options, { front, url: own, sink, node: this.node, elsewhere: this.#elsewhere });
    } catch (error) {
      await this.#leavePart();
      throw error;
    }
    this.#holder = holder;
    this.#setProblem(undefined);
    this.#setRole('primary');
    this.log.info({ ms: Math.round(performance.now() - from) }, 'this node is the primary');
    return true;
  }

  /** Gives emails to delivery workers. */
  readonly #elsewhere = (methods: WorkerMethods): Elsewhere => {
    const { prefix } = this.options.config.settings.cluster;
    const { clock, log, version } = { clock: this.#clock, log: this.log, version: this.options.version };
    const secret = this.#secrets().keyFor('cluster');
    const workers = deliveryWorkers({
      calls: this.#calls,
      prefix,
      clock,
      log,
      version,
      methods: { edition: methods.edition, keys: (domain: string) => sealKeys(methods.keys(domain), secret) },
    });
    this.#workers = workers;
    return workers;
  };

  async #closeStandby(): Promise<void> {
    await this.#front.hold(undefined, READS_MS);
    const standby = this.#standby;
    this.#standby = undefined;
    await standby?.close();
  }

  /** Gives up whatever part this node has. What it cannot write any more, it has not said to anybody. */
  async #leavePart(): Promise<void> {
    const [service, lease] = [this.#service, this.#lease];
    this.#service = undefined;
    this.#lease = undefined;
    this.#watch.reset();
    this.#doubt = undefined;
    await this.#closeStandby();
    await service?.stop();
    if (this.#isSuperseded) lease?.stop();
    else await lease?.release();
    this.#front.open(startingApp(this.log));
    this.#setRole('starting');
  }
}

/**
 * Starts a service that is a node of a cluster: as the primary where nobody is, else as a standby that takes over when the primary is gone.
 * @throws StartError
 */
export async function startNode(options: NodeOptions): Promise<Node> {
  const { settings, folder } = options.config;
  const log = makeLog(settings.log.level, options.logTo);
  const secretsFile = resolve(folder, settings.secretsFile);
  if (!existsSync(secretsFile))
    throw new StartError(`The secrets file ${secretsFile} is missing.`, {
      hint: 'All nodes of a cluster have the same one: copy it from another node.',
    });
  const cluster = await openCluster(settings.cluster, (path) => (isAbsolute(path) ? path : join(folder, path)));
  const node = new ClusterService(options, cluster, log);
  try {
    await node.start();
  } catch (error) {
    await node.stop().catch(() => undefined);
    throw startErrorOf(error, settings.databaseFile);
  }
  return { name: cluster.node, url: node.url, role: node.role, primary: node.primary, failed: node.failed, stop: () => node.stop() };
}
