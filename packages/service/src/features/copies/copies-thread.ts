import { existsSync } from 'node:fs';
import { inThread, type ChangeRecord } from '../../kernel/index.js';
import { allSnapshots, copyLedger, isMarked, isOnSameDisk, ledgerIn, lineageFolder, markFolder, purge } from './folder.js';
import { beginLog, openLog, type Head, type LogWriter } from './log-files.js';

/** What the thread that writes copies is asked. A mounted share may answer late, or never: nothing else waits for it. */
export interface OpenRequest {
  readonly folder: string;
  readonly database: string;
  readonly head: Head;
}

export interface OpenedFolder {
  /** Whether copies were written there before. */
  readonly isMarked: boolean;
  readonly isOnSameDisk: boolean;
  /** The last record that stands there; undefined where there is no log of this lineage. */
  readonly last: number | undefined;
}

export interface ShownSnapshot {
  readonly file: string;
  readonly lineage: string;
  readonly asOf: string;
  readonly bytes: number;
  readonly sequence: number;
}

inThread(() => {
  let log: LogWriter | undefined;
  const close = (): void => {
    log?.close();
    log = undefined;
  };
  return {
    open: ({ folder, database, head }: OpenRequest): OpenedFolder => {
      close();
      const marked = isMarked(folder);
      const onSameDisk = isOnSameDisk(folder, database);
      log = marked ? openLog(lineageFolder(folder, head.lineage), head) : undefined;
      return { isMarked: marked, isOnSameDisk: onSameDisk, last: log?.last() };
    },
    begin: ({ folder, head, from }: { readonly folder: string; readonly head: Head; readonly from: number }): void => {
      close();
      markFolder(folder);
      log = beginLog(lineageFolder(folder, head.lineage), head, from);
    },
    append: ({ folder, records }: { readonly folder: string; readonly records: readonly ChangeRecord[] }): number => {
      if (!isMarked(folder)) throw new Error(`${folder} has no copies any more: is its disk mounted?`);
      if (log === undefined) throw new Error('The log of copies is not open.');
      log.append(records);
      return log.last();
    },
    turn: (): void => {
      log?.turn();
    },
    snapshots: ({ folder }: { readonly folder: string }): ShownSnapshot[] =>
      existsSync(folder)
        ? allSnapshots(folder).map(({ file, lineage, manifest: { asOf, bytes, sequence } }) => ({ file, lineage, asOf, bytes, sequence }))
        : [],
    purge: ({ folder, lineage, before }: { readonly folder: string; readonly lineage: string; readonly before: number }): number =>
      purge(folder, lineage, before),
    ledger: ({ folder, from }: { readonly folder: string; readonly from: string }): void => {
      copyLedger(from, ledgerIn(folder));
    },
    close,
  };
});
