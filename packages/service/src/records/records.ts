import { fileURLToPath } from 'node:url';
import { addressStore } from '../features/addresses/index.js';
import { auditStore } from '../features/audit/index.js';
import { alertStore } from '../features/alerts/index.js';
import { contentStore } from '../features/attachments/index.js';
import { bulkStore } from '../features/bulk-sends/index.js';
import { callbackStore } from '../features/callbacks/index.js';
import { capturedStore } from '../features/capture/index.js';
import { consentStore } from '../features/consent/index.js';
import { copyStore } from '../features/copies/index.js';
import { domainCheckStore } from '../features/domain-checks/index.js';
import { reportStore } from '../features/domain-reports/index.js';
import { domainStore } from '../features/domains/index.js';
import { countFact, engagementStore } from '../features/engagement/index.js';
import { editionStore } from '../features/editions/index.js';
import { eventStore } from '../features/events/index.js';
import { figureStore } from '../features/figures/index.js';
import { accessStore } from '../features/keys/index.js';
import { inboundStore } from '../features/inbound/index.js';
import { holdStore } from '../features/holds/index.js';
import { deliveryStore, dueReports, messageStore } from '../features/messages/index.js';
import { senderFaultStore } from '../features/operator-notes/index.js';
import { peopleStore } from '../features/people/index.js';
import { permitStore } from '../features/permits/index.js';
import { providerStore } from '../features/providers/index.js';
import { returnStore } from '../features/returns/index.js';
import { scheduleStore } from '../features/schedules/index.js';
import { searchStore } from '../features/search/index.js';
import { boxStore } from '../features/sensitive-data/index.js';
import { matchStore, signalStore } from '../features/signals/index.js';
import { suppressionStore } from '../features/suppressions/index.js';
import { senderStore } from '../features/senders/index.js';
import { subscriptionStore } from '../features/webhooks/index.js';
import { follow, openKernel, type Following, type FollowOptions, type Kernel, type KernelOptions } from '../kernel/index.js';

// From src/records (tests) and from dist/records the migrations stand at the same distance.
const MIGRATIONS = fileURLToPath(new URL('../../drizzle', import.meta.url));

/** The records of all features. A feature takes the part that it works on (its store.ts). */
// An interface, so that messages of the compiler name it.
// oxlint-disable-next-line typescript/no-empty-object-type
export interface Store extends ReturnType<typeof recordsOn> {}

/** Opens a database file for this process alone. @throws StartError */
export async function openStore(file: string, options: Omit<KernelOptions, 'file' | 'migrations'>): Promise<Store> {
  return recordsOn(await openKernel({ ...options, file, migrations: MIGRATIONS }));
}

/** Opens a database file that follows the log of another service. @throws StartError */
export function openFollowing(options: Omit<FollowOptions, 'migrations'>): { readonly store: Store; readonly following: Following } {
  const following = follow({ ...options, migrations: MIGRATIONS });
  return { store: recordsOn(following.kernel), following };
}

function recordsOn(kernel: Kernel) {
  const { reads } = kernel;
  const contents = contentStore(reads);
  const due = dueReports();
  const boxes = boxStore(reads);
  const messages = messageStore(reads, { contents, boxes, due });
  const captured = capturedStore(reads);
  const bulkSends = bulkStore(reads);
  const figures = figureStore(reads);
  const deliveries = deliveryStore(kernel, due);
  const events = eventStore(reads);
  const engagement = engagementStore(reads);
  const returns = returnStore(reads);
  const inbound = inboundStore(reads);
  // What follows from a change in a lower feature, in the same transaction.
  deliveries.onRecorded('records', (tx, fact, recordedAt) => {
    events.publish(tx, fact, recordedAt);
    countFact(tx, { deliveries, messages, engagement }, fact);
  });
  contents.alsoUsedBy((tx, id) => captured.uses(tx, id));
  contents.alsoUsedBy((tx, id) => bulkSends.uses(tx, id));
  messages.onForgotten((tx, ids) => {
    figures.forgetDeliveries(tx, ids);
    returns.forgetOf(tx, ids);
    inbound.forgetOf(tx, ids);
  });
  messages.onBodiless((tx, ids) => {
    returns.forgetBytesOf(tx, ids);
    inbound.forgetContentOf(tx, ids);
    captured.forgetOf(tx, ids);
  });
  return {
    ...kernel,
    access: accessStore(reads),
    addresses: addressStore(reads),
    alerts: alertStore(reads),
    audit: auditStore(reads),
    boxes,
    bulkSends,
    callbacks: callbackStore(reads),
    captured,
    consents: consentStore(reads),
    contents,
    copies: copyStore(reads),
    domainChecks: domainCheckStore(reads),
    domains: domainStore(reads),
    deliveries,
    editions: editionStore(reads),
    engagement,
    events,
    figures,
    holds: holdStore(reads),
    inbound,
    messages,
    people: peopleStore(reads),
    permits: permitStore(reads),
    providers: providerStore(reads),
    reports: reportStore(reads),
    returns,
    schedules: scheduleStore(reads),
    search: searchStore(reads),
    signals: signalStore(reads, boxes),
    signalMatches: matchStore(reads),
    senderFaults: senderFaultStore(reads),
    senders: senderStore(reads),
    subscriptions: subscriptionStore(reads),
    suppressions: suppressionStore(reads),
  };
}
