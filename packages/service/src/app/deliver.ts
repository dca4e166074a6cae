import { createPrivateKey } from 'node:crypto';
import { existsSync } from 'node:fs';
import { hostname } from 'node:os';
import { isAbsolute, join, resolve } from 'node:path';
import type { SigningKey } from '@verbalis/core/dkim';
import { callsOver, openCluster, startWorking } from '../features/cluster/index.js';
import type { EditionParts } from '../features/editions/index.js';
import { isShared, makeProviders } from '../features/providers/index.js';
import { handOver, sourcesElsewhere, type HandOverJob } from '../features/queue/index.js';
import { decrypt, encrypt, newId, readSecrets, StartError, SYSTEM_CLOCK, type Clock } from '../kernel/index.js';
import { makeLog, type StartOptions } from './service.js';

/** A process that makes emails and hands them over for the primary of a cluster. It has no database. */
export interface DeliveryWorker {
  readonly name: string;
  /** Emails that it has. */
  readonly underWay: () => number;
  /** Takes nothing more, and finishes what it has. */
  readonly stop: () => Promise<void>;
}

export interface DeliverOptions extends Pick<StartOptions, 'config' | 'operatorSecret' | 'logTo' | 'clock'> {
  readonly version: string;
  /** How many emails it processes concurrently. */
  readonly most?: number;
}

const MOST = 64;
/** What signing keys are sealed as. */
const KEYS = 'signing keys';

interface KeyText extends Omit<SigningKey, 'key'> {
  readonly pem: string;
}

/** Signing keys on their way to a worker: who has the brokers alone cannot sign with them. */
export function sealKeys(keys: readonly SigningKey[], secret: Uint8Array): Uint8Array {
  const texts = keys.map(({ key, ...rest }): KeyText => ({ ...rest, pem: key.export({ type: 'pkcs8', format: 'pem' }).toString() }));
  return encrypt(secret, KEYS, JSON.stringify(texts));
}

function openKeys(sealed: Uint8Array, secret: Uint8Array): SigningKey[] {
  const texts = JSON.parse(decrypt(secret, KEYS, Buffer.from(sealed))) as KeyText[];
  return texts.map(({ pem, ...rest }) => ({ ...rest, key: createPrivateKey(pem) }));
}

function providersOf({ config }: DeliverOptions, clock: Clock, log: ReturnType<typeof makeLog>) {
  const { settings, folder } = config;
  const routes = Object.values(settings.spaces).flatMap(({ mode, route }) =>
    mode === 'deliver' ? [route.map(({ provider }) => provider)] : [],
  );
  const surroundings = {
    within: (path: string) => (isAbsolute(path) ? path : join(folder, path)),
    clock,
    log,
    isShared: (provider: string) => isShared(routes, provider),
    capture: () => Promise.reject(new Error('Captured email is kept by the primary.')),
  };
  return makeProviders(settings, surroundings, { threads: 1, part: 'thread' });
}

/** Starts a delivery worker. @throws StartError */
export async function startDeliveryWorker(options: DeliverOptions): Promise<DeliveryWorker> {
  const { config, operatorSecret, version, most = MOST, clock = SYSTEM_CLOCK } = options;
  const { settings, folder } = config;
  const secretsFile = resolve(folder, settings.secretsFile);
  if (!existsSync(secretsFile))
    throw new StartError(`The secrets file ${secretsFile} is missing.`, {
      hint: 'A delivery worker has the same one as the nodes: copy it here.',
    });
  const secret = readSecrets(secretsFile, operatorSecret, '').keyFor('cluster');
  const log = makeLog(settings.log.level, options.logTo);
  const cluster = await openCluster(settings.cluster, (path) => (isAbsolute(path) ? path : join(folder, path)));
  const calls = callsOver(cluster.connection);
  const providers = providersOf(options, clock, log);
  const name = `${settings.cluster.node ?? hostname().replaceAll(/[^A-Za-z0-9_-]+/g, '-')}-${newId('w', clock.now()).slice(-6)}`;
  /** The primary that gave the last email: what one has given, another one has too. */
  let ask: <T>(method: string, input: unknown) => Promise<T> = () => Promise.reject(new Error('No primary has given anything yet.'));
  const sources = sourcesElsewhere({
    providers,
    edition: (space, number) => ask<EditionParts | undefined>('edition', { space, number }),
    keys: async (domain) => openKeys(await ask<Uint8Array>('keys', domain), secret),
  });
  const working = startWorking({
    calls,
    prefix: settings.cluster.prefix,
    name,
    version,
    most,
    clock,
    log,
    handOver: (job: HandOverJob, gate, primary) => {
      ({ ask } = primary);
      return handOver(job, sources, gate);
    },
  });
  log.info({ worker: name, most }, 'this delivery worker is ready');
  return {
    name,
    underWay: working.underWay,
    stop: async () => {
      await working.stop();
      for (const provider of providers.values()) provider.close();
      calls.close();
      await cluster.close();
    },
  };
}
