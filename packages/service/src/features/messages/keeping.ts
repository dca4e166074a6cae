import type { MailSettings } from '@verbalis/core/folder';
import type { MessageRow } from './tables.js';

const DAY_MS = 24 * 3_600_000;

/** A topic, as a mail folder describes it. */
export type Topic = MailSettings['topics'][string];

/** Until when something of a message is kept by its topic. What the body was made from goes with or after the body, and facts go last. */
export function keptUntil(topic: Topic | undefined, createdAt: number): Pick<MessageRow, 'bodyUntil' | 'dataUntil' | 'factsUntil'> {
  const { bodyDays = Infinity, dataDays = Infinity, factDays = Infinity } = topic?.keep ?? {};
  const at = (days: number): number | null => (days === Infinity ? null : createdAt + days * DAY_MS);
  const data = Math.min(dataDays, factDays);
  return { bodyUntil: at(Math.min(bodyDays, data)), dataUntil: at(data), factsUntil: at(factDays) };
}
