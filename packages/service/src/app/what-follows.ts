import { openBulkSends } from '../features/bulk-sends/index.js';
import type { Editions } from '../features/editions/index.js';
import type { Acceptor } from '../features/messages/index.js';
import { openSchedules } from '../features/schedules/index.js';
import { openSignals } from '../features/signals/index.js';
import type { Feature } from '../kernel/index.js';
import type { BuildOptions } from './build-options.js';

/** What follows from signals and times: bulk sends, schedules, rules of the mail folders. */
export function openWhatFollows({ runtime, store, settings, secrets }: BuildOptions, { editions, accept }: { readonly editions: Editions; readonly accept: Acceptor }): Feature[] {
  const { starter, feature } = openBulkSends(runtime, {
    store,
    editions,
    accept,
    outside: { allow: settings.outside.allow, waitMs: settings.outside.waitSeconds * 1000 },
    secret: secrets.keyFor('recipient sources'),
  });
  return [
    feature,
    openSchedules(runtime, { store, spaces: Object.keys(settings.spaces), editions, bulk: starter }),
    openSignals(runtime, { store, editions, accept, mostBytes: settings.limits.bodyBytes }),
  ];
}

