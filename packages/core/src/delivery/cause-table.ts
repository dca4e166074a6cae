import { CAUSES, type Cause } from '../smtp/index.js';
import type { CauseFields } from './causes-by-kind/fields.js';
import { MAILBOXES } from './causes-by-kind/mailboxes.js';
import { REFUSALS } from './causes-by-kind/refusals.js';
import { ROUTES } from './causes-by-kind/routes.js';

export interface CauseRow extends CauseFields {
  readonly cause: Cause;
}

const FIELDS: Readonly<Record<Cause, CauseFields>> = { ...REFUSALS, ...MAILBOXES, ...ROUTES };

/** How each cause is recognised and what it means, in the order of `CAUSES`. */
export const CAUSE_TABLE: readonly CauseRow[] = CAUSES.map((cause) => ({ cause, ...FIELDS[cause] }));
