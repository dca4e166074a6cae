import { join } from 'node:path';
import { inThread, takeSnapshot } from '../../kernel/index.js';
import { copyLedger, ledgerIn } from '../copies/index.js';
import { backupName, backupsIn, removeOld, removeParts, type Backup } from './files.js';

/** What the thread that makes backups is asked. */
export interface MakeRequest {
  readonly database: string;
  readonly folder: string;
  readonly asOf: number;
  readonly keep: number;
  /** The ledger of erasures beside the database. */
  readonly ledgerFile: string;
}

export interface Made extends Backup {
  /** How many older ones were removed. */
  readonly removed: number;
}

/** One that is being made by another service writes to its file; one that was broken off has not for so long. */
const BROKEN_OFF_MS = 3_600_000;

inThread(() => ({
  list: ({ folder }: { readonly folder: string }): Backup[] => backupsIn(folder),
  make: ({ database, folder, asOf, keep, ledgerFile }: MakeRequest): Made => {
    backupsIn(folder);
    removeParts(folder, asOf - BROKEN_OFF_MS);
    const file = join(folder, backupName(asOf));
    const manifest = takeSnapshot(database, file, asOf);
    copyLedger(ledgerFile, ledgerIn(folder));
    return { file, manifest, removed: removeOld(folder, keep) };
  },
}));
