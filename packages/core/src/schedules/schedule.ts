import type { Recurrence } from './recurrence.js';

/** Where a run finds its recipients. */
export type RecipientSource =
  | { readonly kind: 'url'; readonly url: string }
  /** A file of the mail folder: its path from the folder's root. */
  | { readonly kind: 'file'; readonly path: string; readonly format: 'csv' | 'ndjson' }
  | { readonly kind: 'list'; readonly list: readonly unknown[] };

/** One template to many recipients, at times that come again. */
export interface Schedule {
  readonly name: string;
  readonly file: string;
  readonly starts: string;
  readonly timeZone: string;
  readonly repeat: string | undefined;
  readonly times: Recurrence;
  /** What happens to a time at which the service was down. */
  readonly missed: 'run' | 'skip';
  readonly template: string;
  readonly source: RecipientSource;
  readonly essential: boolean;
  readonly perMinute: number | undefined;
  /** What all messages of a run have in common. */
  readonly common: {
    readonly data?: Readonly<Record<string, unknown>>;
    readonly locale?: string;
    readonly reference?: string;
    readonly labels?: Readonly<Record<string, string>>;
  };
}
