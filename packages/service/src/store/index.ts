import { capturedStore } from './captured.js';
import { contentStore } from './contents.js';
import { keyStore } from './signing-keys.js';
import { accessStore } from './access.js';
import { alertStore } from './alerts.js';
import { fileURLToPath } from 'node:url';
import { openKernel, quarantineOn, type Clock, type Kernel, type KernelOptions } from '../kernel/index.js';
import { deliveryStore } from './deliveries.js';
import { editionStore } from './editions.js';
import { eventStore } from './events.js';
import { figureStore } from './figures.js';
import { housekeeping } from './housekeeping.js';
import { messageStore } from './messages.js';
import { returnStore } from './returns.js';
import { searchStore } from './search.js';
import { subscriptionStore } from './subscriptions.js';
import { suppressionStore } from './suppressions.js';

// From src/store (tests) and from dist/store the migrations stand at the same distance.
const MIGRATIONS = fileURLToPath(new URL('../../drizzle', import.meta.url));

// An interface, so that messages of the compiler name it.
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface Store extends ReturnType<typeof storeOn> {}

/** Opens a database file for this process alone. @throws StartError */
export async function openStore(
  file: string,
  options: Omit<KernelOptions, 'file' | 'migrations'> & { readonly clock: Clock },
): Promise<Store> {
  return storeOn(await openKernel({ ...options, file, migrations: MIGRATIONS }), options);
}

function storeOn(kernel: Kernel, { clock, log }: Pick<KernelOptions, 'log'> & { readonly clock: Clock }) {
  const { reads } = kernel;
  return {
    ...kernel,
    quarantine: quarantineOn(reads, clock, log),
    access: accessStore(reads),
    alerts: alertStore(reads),
    captured: capturedStore(reads),
    contents: contentStore(reads),
    signingKeys: keyStore(reads),
    deliveries: deliveryStore(reads),
    editions: editionStore(reads),
    events: eventStore(reads),
    figures: figureStore(reads),
    messages: messageStore(reads),
    returns: returnStore(reads),
    search: searchStore(reads),
    subscriptions: subscriptionStore(reads),
    suppressions: suppressionStore(reads),
    housekeeping: housekeeping(),
  };
}

export type { AttemptRow, Claimed, Decision, DeliveryStore, FactRow, HeldAttempt, NewFact } from './deliveries.js';
export type { CapturedFilter, CapturedRow, CapturedStore } from './captured.js';
export type { AttachmentRow, ContentStore, UploadRow } from './contents.js';
export type { SigningKeyRow } from './signing-keys.js';
export type { MessageMore, StoredMailbox, ToldReturn } from './schema.js';
export type { EditionRow } from './editions.js';
export { SUBJECTS_SEARCHED, type SearchHit } from './search.js';
export { TOLD, type AlertRow, type AlertRuleRow } from './alerts.js';
export { looksLikeKey } from './access.js';
export { newId } from './ids.js';
export { lineName, readLine, type Line } from './lines.js';
export type { DeliveryRow, MessageRow, MessageStore, NewMessage } from './messages.js';
export type { CallbackBatchRow, KnownDelivery, ReturnRow } from './returns.js';
export type { BareEvent, EventFilter, EventStore, KnownEvent, NewEvent } from './events.js';
export { DIMENSIONS, type DeliveryToCount, type Dimension, type FigureChange, type FigureRow } from './figures.js';
export type { NotificationRow, SubscriptionRow } from './subscriptions.js';
export type { SubscriptionState } from './schema.js';
export type { SuppressionRow } from './suppressions.js';
