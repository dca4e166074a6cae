import { newId, type Clock, type Tx } from '../../kernel/index.js';
import { keepRows, type RowsOptions, type RowsSource } from './keep-rows.js';
import type { BulkRow } from './queries.js';
import type { BulkCommon, BulkRun } from './tables.js';

/** What is to go to many. */
export interface BulkWanted {
  /** As people know it; the template, when left out. */
  readonly name?: string | undefined;
  readonly common: BulkCommon;
  readonly recipients: RowsSource | { readonly url: string };
  readonly perMinute?: number | undefined;
  readonly first?: number | undefined;
  readonly essential: boolean;
  readonly keyId?: string | undefined;
  /** The run of a schedule that it is. */
  readonly run?: BulkRun | undefined;
}

/** Begins bulk sends. */
export interface BulkStarter {
  /**
   * Looks whether a template can go to many, and reads a file of recipients as far as it must be read at once.
   * @returns what begins it, in the caller's transaction @throws Refusal
   */
  readonly prepare: (space: string, wanted: BulkWanted) => Promise<(tx: Tx) => BulkRow>;
}

interface Options extends RowsOptions {
  readonly clock: Clock;
  readonly wake: () => void;
}

export function bulkStarter(options: Options): BulkStarter {
  const { store, clock, wake, templateOf } = options;
  return {
    async prepare(space, { name, common, recipients, perMinute = null, first = null, essential, keyId = null, run = null }) {
      const schema = await templateOf(space, { template: common.template, essential });
      const keep = 'url' in recipients ? undefined : await keepRows(options, { space, recipients, schema, now: clock.now() });
      return (tx) => {
        const now = clock.now();
        const row: BulkRow = {
          id: newId('p', now),
          space,
          name: name ?? common.template,
          state: 'running',
          common,
          source: 'url' in recipients ? { kind: 'url', url: recipients.url } : { kind: 'rows', contentId: keep?.(tx) ?? '' },
          cursor: 'url' in recipients ? { kind: 'url', page: null, skip: 0 } : { kind: 'rows', piece: 0, at: 0 },
          perMinute,
          first,
          keyId,
          run,
          read: 0,
          accepted: 0,
          refused: 0,
          problem: null,
          failures: 0,
          createdAt: now,
          nextAt: now,
          endedAt: null,
        };
        store.bulkSends.add(tx, row);
        tx.afterCommit(wake);
        return row;
      };
    },
  };
}
