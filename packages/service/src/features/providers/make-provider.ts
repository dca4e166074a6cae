import { readFileSync } from 'node:fs';
import type { Logger } from 'pino';
import type { Clock } from '../../kernel/index.js';
import type { ProvidersSettings, ProviderSettings } from './settings.js';
import { captureProvider } from './capture.js';
import { fileProvider } from './file.js';
import { httpProvider } from './http.js';
import { logProvider } from './log.js';
import { smtpProvider } from './smtp.js';
import type { Job, Provider } from './provider.js';

/** The part of the configuration that providers are made of. */
export interface ProvidersOf {
  readonly providers: ProvidersSettings;
  readonly helloName: string;
}

interface Surroundings {
  readonly helloName: string;
  /** A path of the configuration, from its folder on. */
  readonly within: (path: string) => string;
  readonly clock: Pick<Clock, 'now' | 'elapsed'>;
  readonly log: Logger;
  /** Puts an email where it can be looked at. */
  readonly capture: (job: Job) => Promise<void>;
  /** Whether several spaces send through a provider. */
  readonly isShared: (provider: string) => boolean;
}

/** The provider that a part of the configuration describes. */
function makeProvider(
  name: string,
  settings: ProviderSettings,
  { helloName, within, clock, log, capture, isShared }: Surroundings,
): Provider {
  switch (settings.kind) {
    case 'smtp': {
      const { host, port, tls, user, password, token, waits } = settings;
      return smtpProvider(name, {
        host,
        port,
        helloName,
        security: tls.mode,
        trust: {
          ca: tls.caFile === undefined ? undefined : readFileSync(within(tls.caFile), 'utf8'),
          fingerprint: tls.fingerprint,
          // A connection that need not be secure at all gains nothing from a certificate that nobody knows (RFC 7435).
          verify: tls.verify && (tls.mode !== 'opportunistic' || user !== undefined || tls.caFile !== undefined),
          name: tls.name,
        },
        credentials: user === undefined ? undefined : token === undefined ? { user, password: password ?? '' } : { user, token },
        openLogin: settings.openLogin,
        connections: settings.connections,
        isShared: isShared(name),
        emailsPerConnection: settings.emailsPerConnection,
        idleMs: settings.idleSeconds * 1000,
        waits: {
          connect: waits.connectSeconds * 1000,
          reply: waits.replySeconds * 1000,
          content: waits.contentSeconds * 1000,
          verdict: waits.verdictSeconds * 1000,
        },
      });
    }
    case 'http':
      return httpProvider(name, settings, { isShared: isShared(name), within, clock });
    case 'file':
      return fileProvider(name, settings.mbox === undefined ? { folder: within(settings.folder ?? '') } : { mbox: within(settings.mbox) });
    case 'log':
      return logProvider(name, log);
    case 'capture':
      return captureProvider(capture);
  }
}

/** Who has which part of the connections of a provider: threads that hand over, and the main thread, which does so for mail with stored files. */
export interface Division {
  /** How many threads hand over; 0 where only the main thread does. */
  readonly threads: number;
  readonly part: 'main' | 'thread';
}

/** The connections of one part; every part has one at least. */
export function connectionsOf(connections: number, { threads, part }: Division): number {
  if (threads === 0) return connections;
  const main = Math.max(1, Math.floor(connections / 10));
  return part === 'main' ? main : Math.max(1, Math.floor((connections - main) / threads));
}

/** All providers of the configuration, with their part of the connections. */
export function makeProviders(
  settings: ProvidersOf,
  surroundings: Omit<Surroundings, 'helloName'>,
  division: Division,
): Map<string, Provider> {
  const part = (provider: ProviderSettings): ProviderSettings =>
    'connections' in provider ? { ...provider, connections: connectionsOf(provider.connections, division) } : provider;
  return new Map(
    Object.entries(settings.providers).map(([name, one]) => [
      name,
      makeProvider(name, part(one), { helloName: settings.helloName, ...surroundings }),
    ]),
  );
}
