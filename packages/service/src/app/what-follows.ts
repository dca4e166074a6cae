import { openBulkSends } from '../features/bulk-sends/index.js';
import type { Editions } from '../features/editions/index.js';
import type { Feed } from '../features/events/index.js';
import type { Acceptor } from '../features/messages/index.js';
import { openPermits, type Permits } from '../features/permits/index.js';
import type { SensitiveData } from '../features/sensitive-data/index.js';
import { openSchedules } from '../features/schedules/index.js';
import { openSignals } from '../features/signals/index.js';
import type { Feature } from '../kernel/index.js';
import type { BuildOptions } from './build-options.js';

/** What follows from signals and times: bulk sends, schedules, rules of the mail folders; and from what browsers ask for. */
export function openWhatFollows(
  { runtime, store, settings, secrets }: BuildOptions,
  {
    editions,
    accept,
    feed,
    sensitive,
  }: { readonly editions: Editions; readonly accept: Acceptor; readonly feed: Feed; readonly sensitive: SensitiveData },
): { readonly features: readonly Feature[]; readonly permitCors: Permits['cors'] } {
  const { starter, feature } = openBulkSends(runtime, {
    store,
    editions,
    accept,
    outside: { allow: settings.outside.allow, waitMs: settings.outside.waitSeconds * 1000 },
    secret: secrets.keyFor('recipient sources'),
    feed,
  });
  const { spaces } = settings;
  const permits = openPermits(runtime, { store, editions, accept, spaces });
  return {
    permitCors: permits.cors,
    features: [
      feature,
      openSchedules(runtime, { store, spaces: Object.keys(spaces), editions, bulk: starter, feed }),
      permits.feature,
      openSignals(runtime, {
        store,
        editions,
        accept,
        feed,
        sensitive,
        isCapturing: (space) => spaces[space]?.mode === 'capture',
        mostBytes: settings.limits.bodyBytes,
      }),
    ],
  };
}
