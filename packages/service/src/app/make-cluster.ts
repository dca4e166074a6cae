import { isAbsolute, join, resolve } from 'node:path';
import { addSnapshot, isInCluster, makeCluster } from '../features/cluster/index.js';
import { BEGINNING, readSecrets, setPosition, snapshotThread, StartError, SYSTEM_CLOCK } from '../kernel/index.js';
import { openStore } from '../records/index.js';
import { besideDatabase } from './beside.js';
import { makeLog, type StartOptions } from './service.js';

/** What a cluster was made of. */
export interface MadeCluster {
  readonly id: string;
  readonly file: string;
  readonly bytes: number;
}

/**
 * Makes a cluster at the brokers of a configuration. It begins with the database of the configuration, whose service must not run.
 * @param again whether an existing cluster is created again
 * @throws StartError
 */
export async function initCluster(
  { config, operatorSecret, clock = SYSTEM_CLOCK }: Pick<StartOptions, 'config' | 'operatorSecret' | 'clock'>,
  { again = false }: { readonly again?: boolean } = {},
): Promise<MadeCluster> {
  const { settings, folder } = config;
  if (!isInCluster(settings.cluster))
    throw new StartError('The configuration names no brokers.', { hint: 'Set cluster.servers (docs/cluster.md).' });
  const within = (path: string): string => (isAbsolute(path) ? path : join(folder, path));
  const file = resolve(folder, settings.databaseFile);
  const secrets = readSecrets(resolve(folder, settings.secretsFile), operatorSecret, file);
  const log = makeLog('fatal', undefined);
  // It is opened before anything is made at the brokers: a service that runs on it is found now.
  const store = await openStore(file, { log, clock, secrets: secrets.fingerprint });
  const thread = snapshotThread(file, clock);
  let bytes = 0;
  try {
    const id = await makeCluster(settings.cluster, within, {
      again,
      fill: async (cluster) => {
        await store.write((tx) => {
          setPosition(tx, { log: cluster.id, ...BEGINNING });
        });
        ({ bytes } = await addSnapshot(cluster, file, thread.take));
        await besideDatabase(cluster, { config, operatorSecret }, clock).give();
      },
    });
    return { id, file, bytes };
  } finally {
    await thread.stop();
    await store.close();
  }
}
