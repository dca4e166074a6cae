import { existsSync, readdirSync, statSync } from 'node:fs';
import { isAbsolute, join, resolve } from 'node:path';
import { sharedFiles, type Cluster } from '../features/cluster/index.js';
import { dayKeysFolder, dayKeysIn } from '../features/sensitive-data/index.js';
import { readSecrets, type Clock } from '../kernel/index.js';
import type { StartOptions } from './service.js';

/** What a node has beside its database: the ledger of erasures, and the keys of sensitive data. */
export interface Beside {
  /** Fetches what another node had. */
  readonly fetch: () => Promise<void>;
  /** Gives others what has changed. The keys of today and tomorrow are given before anything is encrypted with them. */
  readonly give: () => Promise<void>;
}

const DAY = 24 * 3_600_000;

const dayOf = (at: number): string => new Date(at).toISOString().slice(0, 10);

/** What tells that a file has changed. */
const markOf = (path: string): string => {
  const found = statSync(path, { throwIfNoEntry: false });
  return found === undefined ? '' : `${found.size} ${found.mtimeMs}`;
};

/** Shares the files that a node has beside its database with the other nodes. */
export function besideDatabase(cluster: Cluster, { config, operatorSecret }: StartOptions, clock: Clock): Beside {
  const { settings, folder } = config;
  const within = (path: string): string => (isAbsolute(path) ? path : join(folder, path));
  const database = within(settings.databaseFile);
  const ledger = `${database}.erasures`;
  const keys = within(dayKeysFolder(settings));
  const secrets = readSecrets(resolve(folder, settings.secretsFile), operatorSecret, database);
  const shared = sharedFiles(cluster, { ledgers: { erasures: ledger }, folders: { 'day-keys': keys } }, secrets.keyFor('cluster'));
  let given: string | undefined;

  return {
    fetch: shared.pull,
    async give() {
      const own = dayKeysIn(keys);
      for (const day of [dayOf(clock.now()), dayOf(clock.now() + DAY)]) own.of(day);
      const now = [markOf(ledger), ...(existsSync(keys) ? readdirSync(keys) : [])].join('\n');
      if (now === given) return;
      await shared.push();
      given = now;
    },
  };
}
