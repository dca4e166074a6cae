import type { PhraseBook } from '@verbalis/core/phrases';
import { portFault, serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Consent } from '../consent/index.js';
import type { Suppressing } from '../suppressions/index.js';
import { listenerOptions } from '../smtp/index.js';
import { returnEndpoints } from './endpoints.js';
import { returnIntake, type ReturnIntake } from './intake.js';
import { listenReturns } from './listen.js';
import { returnMetrics } from './metrics.js';
import { returnRetention } from './retention.js';
import type { ReturnSettings } from './settings.js';
import type { Store } from './store.js';
import type { InboundMail, TestMails } from './awaited.js';

interface Options {
  readonly store: Store;
  readonly suppressing: Suppressing;
  readonly consent: Pick<Consent, 'consenting' | 'tokens'>;
  readonly settings: ReturnSettings;
  /** Whether return paths of ours are, or recently were, at a host. */
  readonly isReturnHost: (host: string) => boolean;
  /** Test emails that come back to us. */
  readonly testMails: TestMails;
  /** What people write to us. */
  readonly inbound: InboundMail;
  /** Something was stored that came to an address of reports. */
  readonly reportArrived: () => void;
  /** Makes return paths that nobody can forge. */
  readonly secret: Uint8Array;
  /** What words of reports mean. */
  readonly book: PhraseBook;
  /** Where large emails are while they come in. */
  readonly spoolFolder: string;
}

export interface Returns {
  readonly intake: ReturnIntake;
  /** The port, once it is listened on. */
  readonly port: () => number;
  readonly feature: Feature;
}

/** Whatever comes back about a delivery: received by SMTP or uploaded, read, matched. */
export function openReturns(
  { clock, log, registry, within, ages }: Runtime,
  { store, suppressing, consent, settings, isReturnHost, testMails, inbound, reportArrived, secret, book, spoolFolder }: Options,
): Returns {
  const { host, port, domain, maxBytes, phrases } = settings;
  const intake = returnIntake({ store, clock, log, suppressing, consent, isReturnHost, secret, book });
  let forged = 0;
  let listener: Awaited<ReturnType<typeof listenReturns>> | undefined;
  returnMetrics(registry, () => forged);
  const feature: Feature = {
    name: 'returns',
    endpoints: serve(returnEndpoints, { store, intake, mostBytes: maxBytes }),
    retention: returnRetention(store, ages),
    async listen() {
      listener = await listenReturns({
        intake,
        testMails,
        inbound,
        reportArrived,
        log,
        phrases,
        listen: {
          host,
          doors: [{ port }],
          server: { name: domain, maxBytes, maxRecipients: 100 },
          spoolFolder,
          ...listenerOptions(settings, within),
        },
        forged: () => {
          forged += 1;
        },
      }).catch((error: unknown) => {
        throw portFault(error, { host, port, setting: 'returns.port (VERBALIS_RETURNS_PORT)' });
      });
    },
    fault: () => (listener?.isListening() === false ? 'The SMTP listener of the return path has ended.' : undefined),
    closeSockets: async () => {
      await listener?.close();
    },
  };
  return { intake, port: () => listener?.ports[0] ?? port, feature };
}
