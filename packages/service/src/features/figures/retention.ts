import type { RetentionRule } from '../../kernel/index.js';
import type { Store } from './store.js';

/** Figures by the hour are kept for so many days; those by the day permanently. */
const HOURS_DAYS = 100;
const DAY = 24 * 3_600_000;

export function figureRetention({ figures }: Store): RetentionRule[] {
  return [{ name: 'figures by the hour', step: (tx, now) => figures.forget(tx, now - HOURS_DAYS * DAY) }];
}
