import { capturedStore } from './captured.js';
import { contentStore } from './contents.js';
import { keyStore } from './signing-keys.js';
import { accessStore } from './access.js';
import { alertStore } from './alerts.js';
import { openDatabase } from './database.js';
import { deliveryStore } from './deliveries.js';
import { editionStore } from './editions.js';
import { eventStore } from './events.js';
import { figureStore } from './figures.js';
import { GroupCommit } from './group-commit.js';
import { housekeeping } from './housekeeping.js';
import { messageStore } from './messages.js';
import { returnStore } from './returns.js';
import { searchStore } from './search.js';
import { subscriptionStore } from './subscriptions.js';
import { suppressionStore } from './suppressions.js';

export type Store = ReturnType<typeof openStore>;

/** The whole store on one database file. */
export function openStore(file: string) {
  const { db, raw, close } = openDatabase(file);
  return {
    access: accessStore(db),
    alerts: alertStore(db),
    captured: capturedStore(db),
    contents: contentStore(db),
    signingKeys: keyStore(db),
    deliveries: deliveryStore(db),
    editions: editionStore(db),
    events: eventStore(db),
    figures: figureStore(db),
    messages: messageStore(db),
    returns: returnStore(db),
    search: searchStore(db),
    subscriptions: subscriptionStore(db),
    suppressions: suppressionStore(db),
    group: new GroupCommit(raw),
    housekeeping: housekeeping(raw),
    close,
  };
}

export type { AttemptRow, Claimed, Decision, DeliveryStore, FactRow, NewFact } from './deliveries.js';
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
