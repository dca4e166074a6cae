import { readFileSync } from 'node:fs';
import { portFault, serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Suppressing } from '../suppressions/index.js';
import { returnEndpoints } from './endpoints.js';
import { returnIntake, type ReturnIntake } from './intake.js';
import { listenReturns } from './listen.js';
import { returnMetrics } from './metrics.js';
import { returnRetention } from './retention.js';
import type { ReturnSettings } from './settings.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly suppressing: Suppressing;
  readonly settings: ReturnSettings;
  /** Makes return paths that nobody can forge. */
  readonly secret: Uint8Array;
}

export interface Returns {
  readonly intake: ReturnIntake;
  /** The port, once it is listened on. */
  readonly port: () => number;
  readonly feature: Feature;
}

/** Whatever comes back about a delivery: received by SMTP or uploaded, read, matched. */
export function openReturns({ clock, log, registry, within, ages }: Runtime, { store, suppressing, settings, secret }: Options): Returns {
  const { host, port, domain, maxBytes, tls, connectionsPerMinute } = settings;
  const intake = returnIntake({ store, clock, log, suppressing, domain, secret });
  let forged = 0;
  let listener: Awaited<ReturnType<typeof listenReturns>> | undefined;
  returnMetrics(registry, () => forged);
  const pem = (file: string): string => readFileSync(within(file), 'utf8');
  const feature: Feature = {
    name: 'returns',
    endpoints: serve(returnEndpoints, { store, intake, mostBytes: maxBytes }),
    retention: returnRetention(store, ages),
    async listen() {
      listener = await listenReturns(host, port, {
        intake,
        log,
        domain,
        maxBytes,
        tls: tls === undefined ? undefined : { cert: pem(tls.certFile), key: pem(tls.keyFile) },
        connectionsPerMinute,
        forged: () => {
          forged += 1;
        },
      }).catch((error: unknown) => {
        throw portFault(error, { host, port, setting: 'returns.port (VERBALIS_RETURNS_PORT)' });
      });
    },
    closeSockets: async () => {
      await listener?.close();
    },
  };
  return { intake, port: () => listener?.port ?? port, feature };
}
