import { mailBytes } from '@verbalis/core/mime';
import { openAlerts } from '../features/alerts/index.js';
import { openAttachments } from '../features/attachments/index.js';
import { openCallbacks } from '../features/callbacks/index.js';
import { openCapture } from '../features/capture/index.js';
import { composeMail } from '../features/composing/index.js';
import { openDomains } from '../features/domains/index.js';
import { openEditions } from '../features/editions/index.js';
import { openEvents } from '../features/events/index.js';
import { openFigures } from '../features/figures/index.js';
import { openKeys, type SpaceSummary } from '../features/keys/index.js';
import { openMessages, type DeliveryRow, type MessageRow } from '../features/messages/index.js';
import { openOperatorNotes } from '../features/operator-notes/index.js';
import { openProviders, type Job } from '../features/providers/index.js';
import { openQuarantine } from '../features/quarantine/index.js';
import { openQueue } from '../features/queue/index.js';
import { openReturns } from '../features/returns/index.js';
import { openSearch } from '../features/search/index.js';
import { openSubmission } from '../features/submission/index.js';
import { openSuppressions } from '../features/suppressions/index.js';
import { openWebhooks } from '../features/webhooks/index.js';
import { openWorkbench } from '../features/workbench/index.js';
import type { Access, Feature, Runtime, Reader, Secrets } from '../kernel/index.js';
import type { Store } from '../records/index.js';
import type { Settings } from '../settings/index.js';

export interface BuildOptions {
  readonly runtime: Runtime;
  readonly store: Store;
  readonly settings: Settings;
  readonly secrets: Secrets;
  /** The folder that paths of the configuration begin at. */
  readonly folder: string;
  /** How many threads hand over; 0 where this one does. */
  readonly threads: number;
}

export interface Built {
  /** From low to high, as features/order.ts lists them. */
  readonly features: readonly Feature[];
  readonly access: Access;
  /** For the pages that need no key. */
  readonly suppressing: ReturnType<typeof openSuppressions>['suppressing'];
  readonly returnsPort: () => number;
  readonly submissionPort: () => number | undefined;
}

/** What a higher feature does for a lower one: known only when all are open. */
interface Later {
  wake: () => void;
  capture: (job: Job) => Promise<void>;
  compose: (message: MessageRow, delivery: DeliveryRow) => Promise<Buffer>;
}

function later(): Later {
  const early = (): never => {
    throw new Error('A feature was used before all of them were open.');
  };
  return { wake: early, capture: early, compose: early };
}

function spaceSummaries({ spaces, submission }: Settings, submissionPort: () => number | undefined): ReadonlyMap<string, SpaceSummary> {
  return new Map(
    Object.entries(spaces).map(([name, { mode, mark, recipients, archive }]) => [
      name,
      {
        mode,
        mark: mark?.text,
        allowed: recipients?.allowed,
        redirectTo: recipients?.redirectTo,
        archive,
        get submission() {
          const port = submission.openTo === name ? submissionPort() : undefined;
          return port === undefined ? undefined : `${submission.host}:${port}`;
        },
      },
    ]),
  );
}

/** Opens all features in order, each with the doors of those below it. */
export async function openFeatures(options: BuildOptions): Promise<Built> {
  const { runtime, store, settings, secrets } = options;
  const { spaces } = settings;
  const upper = later();
  const writing = await openWriting(options, upper);
  const sending = openSending(options, writing, upper);
  const receiving = openReceiving(options, writing);
  upper.capture = receiving.captured.keep;
  const { access, feature: keys } = openKeys(runtime, {
    store,
    operatorSecret: secrets.operator,
    spaces: spaceSummaries(settings, receiving.submission.port),
  });
  const { accept, feed, suppressing } = writing;
  const operators = new Map(Object.entries(spaces).map(([name, { operator }]) => [name, operator]));
  return {
    access,
    suppressing,
    returnsPort: receiving.returns.port,
    submissionPort: receiving.submission.port,
    features: [
      keys,
      openQuarantine(runtime, store),
      writing.editing,
      openAttachments(runtime, store, settings.limits.attachmentBytes),
      ...writing.features,
      ...sending.features,
      receiving.submission.feature,
      receiving.returns.feature,
      receiving.callbacks,
      receiving.captured.feature,
      openWorkbench(runtime, { store, capturing: receiving.captured.capturing, providers: sending.providers, probe: sending.probe }),
      openWebhooks(runtime, {
        store,
        feed,
        outside: { allow: settings.outside.allow },
        master: secrets.keyFor('webhooks'),
        helloName: settings.helloName,
      }),
      openFigures(runtime, store, feed),
      openAlerts(runtime, { store, settings, feed, accept, operators }),
      openOperatorNotes(runtime, { store, accept, operators }),
      openSearch(store),
    ],
  };
}

type Writing = Awaited<ReturnType<typeof openWriting>>;

/** What a message is made of, and what is known about it. */
async function openWriting({ runtime, store, settings, secrets }: BuildOptions, upper: Later) {
  const { spaces, limits } = settings;
  const isNeeded: Parameters<typeof openEditions>[1]['isNeeded'] = (tx, space, number) => store.messages.usesEdition(tx, space, number);
  const { editions, feature: editing } = await openEditions(runtime, { store, spaces, isNeeded });
  const { signing, feature: domains } = openDomains(runtime, store, secrets.keyFor('signing'));
  const { suppressing, feature: suppressions } = openSuppressions(runtime, store, settings.suppress);
  const suppressionFor = (row: DeliveryRow, from: Reader): string | undefined => suppressing.suppressionFor(row, from);
  const { accept, feature: messages } = openMessages(runtime, {
    store,
    editions,
    spaces,
    limits,
    suppressionFor,
    wake: () => {
      upper.wake();
    },
    compose: (message, delivery) => upper.compose(message, delivery),
  });
  const { feed, feature: events } = openEvents(runtime, store);
  return { editions, editing, signing, suppressing, suppressionFor, accept, feed, features: [domains, messages, suppressions, events] };
}

/** What hands messages over to providers. */
function openSending({ runtime, store, settings, secrets, folder, threads }: BuildOptions, writing: Writing, upper: Later) {
  const { spaces, limits, outside } = settings;
  const { editions, signing, suppressionFor } = writing;
  const capture = (job: Job): Promise<void> => upper.capture(job);
  const { providers, router, probe, feature } = openProviders(runtime, {
    store,
    settings,
    shares: threads + 1,
    capture,
    keysFor: (domain) => signing.keysFor(domain),
    senderOf: (space) => spaces[space]?.sender ?? editions.loaded(space)?.project.settings.sender,
    wake: () => {
      upper.wake();
    },
  });
  const queue = openQueue(runtime, {
    store,
    settings,
    queue: settings.dispatch,
    spaces,
    folder,
    threads,
    providers,
    router,
    editions,
    signing,
    capture,
    outside: { allow: outside.allow, waitMs: outside.waitSeconds * 1000, mostBytes: limits.attachmentBytes },
    returnPath: returnPathOf(settings, secrets),
    unsubscribeSecret: secrets.keyFor('unsubscribe'),
    suppressionFor,
  });
  upper.wake = queue.wake;
  upper.compose = async (message, delivery) =>
    mailBytes((await composeMail(queue.sources, message, delivery, queue.unsubscribeUrl(delivery))).mail);
  return { providers, probe, features: [feature, queue.feature] };
}

/** What comes in: from apps by SMTP, from other servers, from providers; and what is kept instead of sent. */
function openReceiving({ runtime, store, settings, secrets }: BuildOptions, { accept, suppressing }: Writing) {
  const { spaces, limits } = settings;
  const returnPath = returnPathOf(settings, secrets);
  const submission = openSubmission(runtime, {
    store,
    accept,
    settings: settings.submission,
    spaces,
    helloName: settings.helloName,
    limits,
  });
  const returns = openReturns(runtime, { store, suppressing, settings: settings.returns, secret: returnPath.secret });
  const callbacks = openCallbacks(runtime, { store, suppressing, providers: settings.providers, mostBytes: settings.returns.maxBytes });
  const captured = openCapture(runtime, {
    store,
    settings: settings.captured,
    spaces: Object.keys(spaces),
    intake: returns.intake,
    returnPath,
  });
  return { submission, returns, callbacks, captured };
}

function returnPathOf(settings: Settings, secrets: Secrets): { readonly domain: string; readonly secret: Uint8Array } {
  return { domain: settings.returns.domain, secret: secrets.keyFor('returns') };
}
