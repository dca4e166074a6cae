import { existsSync } from 'node:fs';
import { inThread, openReading, readRecords, type Most } from '../../kernel/index.js';
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
  /** The last record in the folder; undefined if there is no log of this lineage. */
  readonly last: number | undefined;
}

/** What was written of the log. */
export interface Appended {
  readonly records: number;
  readonly last: number;
  /** Records between that are not there any more. */
  readonly isGap: boolean;
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
  let raw: ReturnType<typeof openReading> | undefined;
  const close = (): void => {
    log?.close();
    log = undefined;
    raw?.close();
    raw = undefined;
  };
  return {
    open: ({ folder, database, head }: OpenRequest): OpenedFolder => {
      close();
      raw = openReading(database);
      const marked = isMarked(folder);
      const onSameDisk = isOnSameDisk(folder, database);
      log = marked ? openLog(lineageFolder(folder, head.lineage), head) : undefined;
      return { isMarked: marked, isOnSameDisk: onSameDisk, last: log?.last() };
    },
    begin: ({ folder, head, from }: { readonly folder: string; readonly head: Head; readonly from: number }): void => {
      log?.close();
      markFolder(folder);
      log = beginLog(lineageFolder(folder, head.lineage), head, from);
    },
    append: ({ folder, after, most }: { readonly folder: string; readonly after: number; readonly most: Most }): Appended => {
      if (!isMarked(folder)) throw new Error(`${folder} has no copies any more: is its disk mounted?`);
      if (log === undefined || raw === undefined) throw new Error('The log of copies is not open.');
      const records = readRecords(raw, after, most);
      const [first] = records;
      if (first === undefined) return { records: 0, last: after, isGap: false };
      if (first.seq !== after + 1) return { records: 0, last: after, isGap: true };
      log.append(records);
      return { records: records.length, last: log.last(), isGap: false };
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
