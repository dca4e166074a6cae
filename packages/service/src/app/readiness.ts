import { statfsSync } from 'node:fs';
import { dirname } from 'node:path';
import { shared, type Feature, type Kernel, type Standby } from '../kernel/index.js';

export interface ReadinessOptions {
  readonly store: Pick<Kernel, 'probe'>;
  readonly databaseFile: string;
  readonly features: readonly Feature[];
  /** Whether the service is stopping. */
  readonly isStopping: () => boolean;
  readonly standby: Standby | undefined;
}

/** What keeps the service from taking work, in sentences. Concurrent callers share one check. */
export type Readiness = () => Promise<readonly string[]>;

/** With less space left on the disk it takes no more work, so that there is room for the results of what it has accepted; in MiB. */
const LEAST_FREE_MIB = 32;
const MIB = 1024 * 1024;

function spaceFault(databaseFile: string): string | undefined {
  const { bavail, bsize } = statfsSync(dirname(databaseFile));
  const free = Math.floor((bavail * bsize) / MIB);
  return free < LEAST_FREE_MIB ? `Only ${free} MiB are left on the disk of the database.` : undefined;
}

/** Looks whether the database can be written, the disk has room, and everything listens. */
export function readiness({ store, databaseFile, features, isStopping, standby }: ReadinessOptions): Readiness {
  return shared(async () => {
    if (isStopping()) return ['The service is stopping.'];
    if (standby !== undefined) return ['This service is on standby: send requests to the primary.'];
    const faults = [await store.probe(), spaceFault(databaseFile), ...features.map((feature) => feature.fault?.())];
    return faults.flatMap((fault) => fault ?? []);
  });
}
