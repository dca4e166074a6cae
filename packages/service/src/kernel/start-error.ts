import { sentenceOf } from './group-commit.js';
import { StartError } from './unavailable.js';

/** A fault of the database as something that the person who starts the service can act on. */
export function startErrorOf(error: unknown, file: string): unknown {
  const cause = (error as Error | undefined)?.cause ?? error;
  const { code = '' } = cause as { code?: string };
  if (error instanceof StartError || !/^(SQLITE_|E[A-Z]+$)/.test(code)) return error;
  const sentence = code.startsWith('SQLITE_') ? sentenceOf(cause) : (cause as Error).message;
  const isFull = code === 'SQLITE_FULL' || code === 'ENOSPC';
  return new StartError(
    `The database ${file} cannot be used: ${sentence}`,
    isFull ? { hint: 'Free some space, then start again. An upgrade needs room for a copy of the database; nothing was changed.' } : {},
  );
}
