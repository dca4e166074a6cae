import { isAbsolute, join } from 'node:path';
import type { SigningKey } from '@verbalis/core/dkim';
import { pino } from 'pino';
import type { EditionParts } from '../editions/index.js';
import { inThread } from '../../kernel/thread.js';
import { isShared, makeProviders } from '../providers/index.js';
import { handOver, type HandOverJob } from './hand-over.js';
import type { PoolThreadData } from './pool.js';
import { sourcesElsewhere } from './sources.js';

inThread<PoolThreadData>((remote, { settings, folder, threads, routes }) => {
  const log = pino({ level: settings.log.level, base: undefined }, pino.destination({ dest: 2, sync: true }));
  const surroundings = {
    within: (path: string) => (isAbsolute(path) ? path : join(folder, path)),
    clock: { now: () => Date.now(), elapsed: () => performance.now() },
    log,
    isShared: (provider: string) => isShared(routes, provider),
    capture: () => Promise.reject(new Error('Captured mail is kept by the main thread.')),
  };
  const providers = makeProviders(settings, surroundings, { threads, part: 'thread' });
  const sources = sourcesElsewhere({
    providers,
    edition: (space, number) => remote.call<EditionParts | undefined>('edition', { space, number }),
    keys: (domain) => remote.call<readonly SigningKey[]>('keys', domain),
  });
  return {
    handOver: (job: HandOverJob) => {
      const deliveryId = job.delivery.id;
      return handOver(job, sources, {
        mayLeave: () => remote.call<boolean>('mayLeave', deliveryId),
        reached: (step, agoMs) => {
          remote.call('reached', { deliveryId, step, agoMs }).catch(() => undefined);
        },
      });
    },
    close: () => {
      for (const provider of providers.values()) provider.close();
      setTimeout(() => process.exit(0), 50);
    },
  };
});
