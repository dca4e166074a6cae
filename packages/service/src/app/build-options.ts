import type { ClusterNode } from '../features/cluster/index.js';
import type { ConfigurationEndpoints } from '../features/configuration/index.js';
import type { Editions } from '../features/editions/index.js';
import type { LinkListener } from '../features/engagement/index.js';
import type { Elsewhere, WorkerMethods } from '../features/queue/index.js';
import type { Runtime, Secrets } from '../kernel/index.js';
import type { Store } from '../records/index.js';
import type { Settings } from '../settings/index.js';

/** What the features are made of. */
export interface BuildOptions {
  readonly runtime: Runtime;
  readonly store: Store;
  readonly settings: Settings;
  readonly secrets: Secrets;
  /** The folder that paths of the configuration begin at. */
  readonly folder: string;
  /** How many threads hand over; 0 where this one does. */
  readonly threads: number;
  /** Where each setting came from. */
  readonly origins: ReadonlyMap<string, string>;
  readonly reloading: Pick<ConfigurationEndpoints, 'reload'>;
  readonly editions: Editions;
  /** A listener for links of emails alone, where there is one. */
  readonly links: LinkListener | undefined;
  /** Where a mail folder cannot be published, the edition that is in use stays. */
  readonly keepEditions: boolean;
  /** This service as a node of a cluster; undefined where it is on its own. */
  readonly node: ClusterNode | undefined;
  /** Processes elsewhere that hand over, where there are such. */
  readonly elsewhere: ((methods: WorkerMethods) => Elsewhere) | undefined;
  /** Another service writes: what this one would write when it opens is left to that. */
  readonly isStandby: boolean;
}
