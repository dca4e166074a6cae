import { existsSync, mkdirSync, readFileSync, realpathSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { sentenceOf } from './group-commit.js';
import { StartError } from './unavailable.js';

export interface FileLock {
  /** What has happened to the files, in a sentence: the lock keeps nobody away any more. Undefined where all is well. */
  readonly fault: () => string | undefined;
  readonly release: () => void;
}

/** The file itself, whatever links lead to it, so that two names for one database share one lock. */
function realFile(file: string): string {
  if (existsSync(file)) return realpathSync(file);
  mkdirSync(dirname(file), { recursive: true });
  return join(realpathSync(dirname(file)), basename(file));
}

function inodeOf(file: string): number | undefined {
  return statSync(file, { throwIfNoEntry: false })?.ino;
}

function ownerText(file: string): string {
  try {
    const { pid, since } = JSON.parse(readFileSync(file, 'utf8')) as { pid: number; since: string };
    return ` (process ${String(pid)}, since ${since})`;
  } catch {
    return '';
  }
}

/**
 * Takes the lock of a database file before the file is opened: a second service on it finds out here, when it has read and changed nothing.
 * The lock is SQLite's own on a file beside it (`NAME.lock`, `BEGIN EXCLUSIVE`), so the operating system frees it when the process ends in
 * whatever way. `NAME.owner` says whose it is, for the message only.
 * @throws StartError when another process has it
 */
export function lockFile(databaseFile: string): FileLock {
  let raw: Sqlite.Database | undefined;
  let owner = '';
  let file = databaseFile;
  try {
    file = realFile(databaseFile);
    owner = `${file}.owner`;
    raw = new Sqlite(`${file}.lock`, { timeout: 0 });
    raw.exec('begin exclusive');
    writeFileSync(owner, `${JSON.stringify({ pid: process.pid, since: new Date().toISOString() })}\n`);
  } catch (error) {
    raw?.close();
    if (/^SQLITE_(BUSY|LOCKED)/.test((error as { code?: string }).code ?? ''))
      throw new StartError(
        `Another Verbalis service is running on ${databaseFile}${ownerText(owner)}. Stop it first, or set another databaseFile for this one.`,
      );
    throw new StartError(
      `The lock file beside ${databaseFile} cannot be used: ${(error as { code?: string }).code?.startsWith('SQLITE') === true ? sentenceOf(error) : (error as Error).message}`,
    );
  }
  const held = raw;
  const [lockInode, fileInode] = [inodeOf(`${file}.lock`), inodeOf(file)];
  return {
    fault: () => {
      if (inodeOf(`${file}.lock`) !== lockInode) return 'The lock file of the database was removed, so another service could start on it.';
      // Before the first start there was none.
      const now = inodeOf(file);
      return now === undefined || (fileInode !== undefined && now !== fileInode) ? 'The database file was removed or replaced.' : undefined;
    },
    release: () => {
      rmSync(owner, { force: true });
      held.close();
    },
  };
}
