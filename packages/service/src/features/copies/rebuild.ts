import { copyPrivately, openCopy, verifyCopy } from '../../kernel/index.js';
import { chooseSnapshot, type Snapshot } from './folder.js';
import { logFiles, readHead, readLog } from './log-files.js';

export interface Rebuilding {
  /** A folder of continuous copies. */
  readonly folder: string;
  /** As it was at this date, in milliseconds since the epoch; the newest state when undefined. */
  readonly at: number | undefined;
  /** The file that is written; there is none yet. */
  readonly to: string;
}

/** A database as it was, before anything is put in order in it. */
export interface Rebuilt {
  readonly snapshot: Snapshot;
  /** What was committed by then is in it. */
  readonly asOf: number;
  /** The last record that is in it, and how many were written after the snapshot. */
  readonly sequence: number;
  readonly records: number;
  /** Captured emails whose rows were written: the index of words does not know them. */
  readonly captured: readonly number[];
}

/**
 * Makes a database from a snapshot and the changes that followed it.
 * @throws StartError where a copy is missing or not whole
 */
export function rebuild({ folder, at, to }: Rebuilding): Rebuilt {
  const { snapshot, log } = chooseSnapshot(folder, at);
  const { manifest } = snapshot;
  verifyCopy(snapshot.file);
  copyPrivately(snapshot.file, to);
  const start: Rebuilt = { snapshot, asOf: Date.parse(manifest.asOf), sequence: manifest.sequence, records: 0, captured: [] };
  const [first] = logFiles(log);
  return first === undefined ? start : writeRecords(start, { log, at, to, tables: readHead(first.file).tables });
}

interface Log {
  readonly log: string;
  readonly at: number | undefined;
  readonly to: string;
  readonly tables: ReturnType<typeof readHead>['tables'];
}

function writeRecords(start: Rebuilt, { log, at, to, tables }: Log): Rebuilt {
  const captured = new Set<number>();
  const seqColumn = tables['captured']?.columns.indexOf('seq') ?? -1;
  let { records, sequence, asOf } = start;
  const copy = openCopy(to, tables);
  try {
    for (const record of readLog(log, sequence)) {
      if (at !== undefined && record.at > at) break;
      for (const [op, table, ...values] of copy.write(record))
        if (table === 'captured') captured.add(Number(values[op === '+' ? seqColumn : 0]));
      records += 1;
      sequence = record.seq;
      asOf = Math.max(asOf, record.at);
    }
    copy.end();
  } finally {
    copy.close();
  }
  return { ...start, asOf, sequence, records, captured: [...captured] };
}
