import { accessStore } from './access.js';
import { openDatabase } from './database.js';
import { deliveryStore } from './deliveries.js';
import { editionStore } from './editions.js';
import { GroupCommit } from './group-commit.js';
import { messageStore } from './messages.js';
import { returnStore } from './returns.js';

export type Store = ReturnType<typeof openStore>;

/** The whole store on one database file. */
export function openStore(file: string) {
  const { db, raw, close } = openDatabase(file);
  return {
    access: accessStore(db),
    deliveries: deliveryStore(db),
    editions: editionStore(db),
    messages: messageStore(db),
    returns: returnStore(db),
    group: new GroupCommit(raw),
    close,
  };
}

export type { AttemptRow, DeliveryStore, FactRow, NewFact } from './deliveries.js';
export type { EditionRow } from './editions.js';
export { newId } from './ids.js';
export type { DeliveryRow, MessageRow, MessageStore, NewMessage } from './messages.js';
export type { ReturnRow } from './returns.js';
