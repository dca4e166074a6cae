import { isAbsolute, join } from 'node:path';
import type { SigningKey } from '@verbalis/core/dkim';
import { LRUCache } from 'lru-cache';
import { pino } from 'pino';
import { editionOf, type EditionParts, type LoadedEdition } from '../editions/index.js';
import { inThread } from '../../kernel/thread.js';
import { isShared, makeProviders } from '../providers/index.js';
import { handOver, type HandOverJob, type HandOverSources } from './hand-over.js';
import type { PoolThreadData } from './pool.js';

const EDITIONS = 8;
/** How long the keys of a domain are remembered: new ones sign from then on. In milliseconds. */
const KEYS_MS = 5000;

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
  const editions = new LRUCache<string, Promise<LoadedEdition | undefined>>({ max: EDITIONS });
  const keys = new LRUCache<string, Promise<readonly SigningKey[]>>({ max: 1000, ttl: KEYS_MS });
  const sources: HandOverSources = {
    provider: (name) => providers.get(name),
    edition(space, number) {
      const key = `${space}/${number}`;
      let edition = editions.get(key);
      if (edition === undefined) {
        edition = remote
          .call<EditionParts | undefined>('edition', { space, number })
          .then((parts) => (parts === undefined ? undefined : editionOf(space, number, parts.files, parts.compiled)));
        editions.set(key, edition);
        edition.then(
          (loaded) => loaded === undefined && editions.delete(key),
          () => editions.delete(key),
        );
      }
      return edition;
    },
    keysFor(domain) {
      let found = keys.get(domain);
      if (found === undefined) {
        found = remote.call<readonly SigningKey[]>('keys', domain);
        keys.set(domain, found);
        found.catch(() => keys.delete(domain));
      }
      return found;
    },
    files: {
      attachments: () => [],
      bytes: () => {
        throw new Error('Stored files are with the main thread.');
      },
    },
  };
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
