import type { CauseFields } from './causes-by-kind/fields.js';
import { MAILBOXES } from './causes-by-kind/mailboxes.js';
import { REFUSALS } from './causes-by-kind/refusals.js';
import { ROUTES } from './causes-by-kind/routes.js';

/** Every cause. Of rows whose words are found the first wins, so the more telling stand above. */
export const CAUSES = [
  'rate',
  'rate-or-greylist',
  'loop',
  'mailbox-full',
  'authentication',
  'policy',
  'reputation',
  'content',
  'too-large',
  'unroutable',
  'address-syntax',
  'domain-unknown',
  'mailbox-disabled',
  'mailbox-unknown',
  'unreachable',
  'expired',
  'system',
  'other',
] as const;
export type Cause = (typeof CAUSES)[number];

export interface CauseRow extends CauseFields {
  readonly cause: Cause;
}

const FIELDS: Readonly<Record<Cause, CauseFields>> = { ...REFUSALS, ...MAILBOXES, ...ROUTES };

/** How each cause is recognised and what it means, in the order of `CAUSES`. */
export const CAUSE_TABLE: readonly CauseRow[] = CAUSES.map((cause) => ({ cause, ...FIELDS[cause] }));
