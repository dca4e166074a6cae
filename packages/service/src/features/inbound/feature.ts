import type { PhraseBook } from '@verbalis/core/phrases';
import { serve, type Feature, type Runtime } from '../../kernel/index.js';
import type { Consent } from '../consent/index.js';
import type { Feed } from '../events/index.js';
import type { Acceptor } from '../messages/index.js';
import { nameServersOf, type NameServerSettings } from '../name-servers/index.js';
import type { InboundMail } from '../returns/index.js';
import { answering } from './answering.js';
import { inboundEndpoints } from './endpoints.js';
import { inboxesOf } from './inboxes.js';
import { inboundWork } from './reading.js';
import { inboundReceiver } from './receiver.js';
import type { InboundSettings } from './settings.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly settings: InboundSettings;
  readonly consent: Pick<Consent, 'consenting' | 'wayOutOf'>;
  readonly feed: Feed;
  readonly accept: Acceptor;
  readonly dns: NameServerSettings;
  /** Whether mail of a host comes to the listener of return paths. */
  readonly isReturnHost: (host: string) => boolean;
  /** Whether two addresses are one. */
  readonly isSame: (a: string, b: string) => boolean;
  /** Makes addresses for answers that nobody can forge. */
  readonly secret: Uint8Array;
  /** What words of reports mean. */
  readonly book: PhraseBook;
  /** The largest upload, in bytes. */
  readonly mostBytes: number;
}

export interface Inbound {
  /** For the listener of return paths. */
  readonly mail: InboundMail;
  readonly feature: Feature;
}

/** What people write to us. */
export function openInbound(
  { clock, workers, ages }: Runtime,
  { store, settings, consent, feed, accept, dns, isReturnHost, isSame, secret, book, mostBytes }: Options,
): Inbound {
  const nameServers = dns.check ? nameServersOf(dns) : undefined;
  const work = inboundWork({ store, clock, workers, consent, nameServers, isSame, reported: feed.reported });
  const receiver = inboundReceiver({
    store,
    clock,
    inboxOf: inboxesOf(settings, isReturnHost),
    isReturnHost,
    secret,
    perHour: settings.perHour,
    arrived: work.arrived,
  });
  return {
    mail: receiver,
    feature: {
      name: 'inbound',
      endpoints: serve(inboundEndpoints, {
        store,
        receiver,
        work,
        answering: answering({ store, clock, accept, automaticPerDay: settings.automaticPerDay }),
        book,
        mostBytes,
      }),
      running: [work],
      retention: [
        { name: 'bytes of inbound mail', step: (tx, now) => store.inbound.forgetBytes(tx, now - ages.bytes) },
        { name: 'inbound mail', step: (tx, now) => store.inbound.forget(tx, now - ages.records) },
      ],
    },
  };
}
