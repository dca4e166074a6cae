import { existsSync, statfsSync, statSync } from 'node:fs';
import { dirname, isAbsolute, join } from 'node:path';
import { lastBackupIn } from '../features/backups/index.js';
import type { ClusterNode } from '../features/cluster/index.js';
import {
  diagnose,
  isHere,
  recordsFor,
  type ClusterFacts,
  type DoctorFacts,
  type Finding,
  type Listening,
  type ProviderFacts,
  type SpaceFacts,
} from '../features/doctor/index.js';
import type { Editions } from '../features/editions/index.js';
import { dayKeysFolder } from '../features/sensitive-data/index.js';
import { readAtOnce, StartError } from '../kernel/index.js';
import type { ReadConfig, Settings } from '../settings/index.js';
import { sendersOfSpace, mustSign } from './sending-spaces.js';

type Records = ReturnType<typeof recordsFor>;

interface Examined {
  readonly config: ReadConfig;
  readonly now: number;
  /** The operator's secret from the environment. */
  readonly chosenSecret: string | undefined;
  /** What the records say; undefined where there is no database yet. */
  readonly records: Records | undefined;
  /** What is published, where the service runs. */
  readonly editions: Pick<Editions, 'current'> | undefined;
  /** Where it runs as a node of a cluster. */
  readonly node?: ClusterNode | undefined;
}

function listeningOf({ listen, submission, metrics }: Settings, publicUrl: string | undefined): Listening[] {
  const found: Listening[] = [
    {
      name: 'The console and the API',
      host: listen.host,
      port: listen.port,
      takesSecrets: true,
      // A proxy that has the certificate is before it.
      hasTls: publicUrl?.startsWith('https:') === true,
    },
  ];
  if (submission.port !== undefined)
    found.push({
      name: 'Submission by SMTP',
      host: submission.host,
      port: submission.port,
      takesSecrets: submission.insecure,
      hasTls: false,
    });
  if (metrics.port !== undefined)
    found.push({ name: 'The metrics', host: metrics.host, port: metrics.port, takesSecrets: metrics.token !== undefined, hasTls: false });
  return found;
}

function filesOf({ settings, folder }: ReadConfig): DoctorFacts['files'] {
  const within = (path: string): string => (isAbsolute(path) ? path : join(folder, path));
  const modeOf = (path: string): number | undefined => (existsSync(path) ? statSync(path).mode : undefined);
  return [
    { name: 'the secrets file', path: within(settings.secretsFile), hasSecrets: true },
    { name: 'the folder of day keys', path: within(dayKeysFolder(settings)), hasSecrets: true },
    { name: 'the database', path: within(settings.databaseFile), hasSecrets: false },
  ].map((file) => ({ ...file, mode: modeOf(file.path) }));
}

async function spacesOf(settings: Settings, { editions, records }: Examined): Promise<SpaceFacts[]> {
  return Promise.all(
    Object.entries(settings.spaces).map(async ([name, space]) => {
      const edition = await editions?.current(name);
      const needsSigning = mustSign(settings, name) && !space.unsigned;
      const signed = records?.signed ?? new Set<string>();
      // A subdomain is signed with the keys of the domain above it.
      const isSigned = (domain: string): boolean => [...signed].some((known) => domain === known || domain.endsWith(`.${known}`));
      const senders = [...new Set(sendersOfSpace(space, edition))];
      // Without a service that runs, nobody has read the mail folder.
      const isKnown = editions !== undefined || space.sender !== undefined || !needsSigning;
      return {
        name,
        delivers: space.mode === 'deliver',
        providers: space.route.map(({ provider }) => provider),
        unsignedDomains: isKnown ? senders.filter((domain) => needsSigning && !isSigned(domain)) : undefined,
        optionalTopics: Object.entries(edition?.project.settings.topics ?? {}).flatMap(([topic, { purpose }]) =>
          purpose === 'optional' ? [topic] : [],
        ),
        isPublished: space.mailFolder !== undefined || edition !== undefined || (records?.published.has(name) ?? false),
      };
    }),
  );
}

function clusterOf({ cluster }: Settings, node: ClusterNode | undefined): ClusterFacts | undefined {
  const { servers, tls } = cluster;
  if (servers.length === 0) return undefined;
  const isSafe = tls !== undefined || servers.every((server) => isHere(server.replace(/:\d+$/, '')));
  return { servers: servers.length, trouble: node?.trouble(), isKnown: node !== undefined, isSafe };
}

function providersOf(settings: Settings, records: Records | undefined): ProviderFacts[] {
  const used = new Set(
    Object.values(settings.spaces).flatMap(({ mode, route }) => (mode === 'deliver' ? route.map(({ provider }) => provider) : [])),
  );
  return Object.entries(settings.providers).map(([name, provider]) => ({
    name,
    isOutside: provider.kind === 'smtp' || provider.kind === 'http',
    isUsed: used.has(name),
    hasAccepted: records?.accepting.has(name) ?? false,
    trouble: records?.troubles.get(name),
    isInTheOpen: provider.kind === 'smtp' && provider.tls.mode === 'none' && !isHere(provider.host),
  }));
}

/** Looks at how a service is set up. It reads only. */
export async function examine(options: Examined): Promise<Finding[]> {
  const { config, now, chosenSecret, records } = options;
  const { settings, folder } = config;
  const within = (path: string): string => (isAbsolute(path) ? path : join(folder, path));
  const databaseFile = within(settings.databaseFile);
  const disk = existsSync(dirname(databaseFile)) ? dirname(databaseFile) : folder;
  const { bavail, blocks, bsize } = statfsSync(disk);
  const backupFolder = settings.backup.folder === undefined ? undefined : within(settings.backup.folder);
  return diagnose({
    now,
    node: process.versions.node,
    files: filesOf(config),
    chosenSecret,
    publicUrl: settings.publicUrl,
    hasProxies: settings.listen.trustProxy.length > 0,
    listening: listeningOf(settings, settings.publicUrl),
    spaces: await spacesOf(settings, options),
    providers: providersOf(settings, records),
    records,
    backups: {
      folder: backupFolder,
      lastAt: backupFolder === undefined ? undefined : lastBackupIn(backupFolder),
      isCopying: settings.copies.folder !== undefined,
    },
    cluster: clusterOf(settings, options.node),
    disk: { path: disk, freeBytes: bavail * bsize, totalBytes: blocks * bsize },
    linkSpace: settings.people.space,
    canSendLinks: Object.entries(settings.spaces).some(
      ([name, { mode, recipients }]) =>
        mode === 'deliver' && recipients === undefined && (settings.people.space === undefined || settings.people.space === name),
    ),
  });
}

/** @throws StartError */
function recordsAtRest(file: string, now: number): Records {
  try {
    return readAtOnce(file, (reads) => recordsFor(reads, now));
  } catch (error) {
    throw new StartError(
      `The database ${file} cannot be read: ${error instanceof Error ? error.message : String(error)}. Start the service to see more.`,
    );
  }
}

/** The same without a service that runs: from the configuration and, where there is one, the database file. @throws StartError */
export async function examineAtRest(config: ReadConfig, chosenSecret: string | undefined): Promise<Finding[]> {
  const { settings, folder } = config;
  const file = isAbsolute(settings.databaseFile) ? settings.databaseFile : join(folder, settings.databaseFile);
  const now = Date.now();
  return examine({ config, now, chosenSecret, editions: undefined, records: existsSync(file) ? recordsAtRest(file, now) : undefined });
}
