import type { RetentionAges, RetentionRule, Tx } from '../../kernel/index.js';
import type { Store } from './store.js';

/** Editions of a space that stay whatever their age. */
const NEWEST = 10;

/** Editions go when nobody needs them: they are not in use, and `isNeeded` does not know them. */
export function editionRetention(
  { editions }: Store,
  ages: RetentionAges,
  isNeeded: (tx: Tx, space: string, number: number) => boolean,
): RetentionRule[] {
  return [{ name: 'editions', step: (tx, now) => editions.forget(tx, { before: now - ages.records, newest: NEWEST, isNeeded }) }];
}
