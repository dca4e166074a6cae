import { dirname } from 'node:path';
import { phraseBook } from '@verbalis/core/phrases';
import { openCallbacks } from '../features/callbacks/index.js';
import { openCapture } from '../features/capture/index.js';
import type { Consent } from '../features/consent/index.js';
import type { Domains } from '../features/domains/index.js';
import type { Feed } from '../features/events/index.js';
import { openInbound } from '../features/inbound/index.js';
import type { NoteUse } from '../features/keys/index.js';
import type { Acceptor } from '../features/messages/index.js';
import { openReturns, type TestMails } from '../features/returns/index.js';
import { openSubmission } from '../features/submission/index.js';
import type { Suppressing } from '../features/suppressions/index.js';
import type { BuildOptions } from './build-options.js';

/** What messages are made of. */
interface Writing {
  readonly accept: Acceptor;
  readonly suppressing: Suppressing;
  readonly consent: Pick<Consent, 'consenting' | 'tokens' | 'wayOutOf'>;
  readonly domains: Domains;
  readonly feed: Feed;
}

/** What higher features do for those that receive: known only when all are open. */
interface Upper {
  readonly testMails: TestMails;
  readonly reportArrived: () => void;
}

export type Receiving = ReturnType<typeof openReceiving>;

/** What comes in: from apps by SMTP, from other servers, from people, from providers; and what is kept instead of sent. */
export function openReceiving(
  { runtime, store, settings, secrets }: BuildOptions,
  { accept, suppressing, consent, domains, feed }: Writing,
  { noteUse, upper }: { readonly noteUse: NoteUse; readonly upper: Upper },
) {
  // Beside the records: where there is room for them there is room for this.
  const spoolFolder = dirname(runtime.within(settings.databaseFile));
  const returnSecret = secrets.keyFor('returns');
  const book = phraseBook(settings.returns.phrases);
  const isReturnHost = (host: string): boolean => domains.isReturnHost(host);
  const submission = openSubmission(runtime, { ...settings, settings: settings.submission, store, accept, noteUse, spoolFolder });
  const inbound = openInbound(runtime, {
    store,
    settings: settings.inbound,
    consent,
    feed,
    accept,
    dns: settings.dns,
    isReturnHost,
    isSame: (a, b) => suppressing.keyOf(a) === suppressing.keyOf(b),
    secret: returnSecret,
    book,
    mostBytes: settings.returns.maxBytes,
  });
  const returns = openReturns(runtime, {
    store,
    suppressing,
    consent,
    settings: settings.returns,
    isReturnHost,
    testMails: {
      isAwaited: (address) => upper.testMails.isAwaited(address),
      receive: (address, mail) => upper.testMails.receive(address, mail),
    },
    inbound: inbound.mail,
    reportArrived: () => {
      upper.reportArrived();
    },
    secret: returnSecret,
    book,
    spoolFolder,
  });
  const callbacks = openCallbacks(runtime, {
    store,
    suppressing,
    consenting: consent.consenting,
    providers: settings.providers,
    mostBytes: settings.returns.maxBytes,
    outside: { allow: settings.outside.allow, waitMs: settings.outside.waitSeconds * 1000 },
  });
  const captured = openCapture(runtime, {
    store,
    settings: settings.captured,
    spaces: Object.keys(settings.spaces),
    intake: returns.intake,
    returnSecret,
    returnHostFor: (senderDomain) => domains.returnHostFor(senderDomain),
  });
  return { submission, inbound, returns, callbacks, captured };
}
