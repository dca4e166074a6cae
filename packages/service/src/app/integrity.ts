import { existsSync } from 'node:fs';
import { contentsUsed, contentsWhole } from '../features/attachments/index.js';
import { capturedIndexed } from '../features/capture/index.js';
import { editionFiles } from '../features/editions/index.js';
import { figuresByDeliveries } from '../features/figures/index.js';
import { attemptsCounted, emailsOwned, statesByFacts } from '../features/messages/index.js';
import { faultsOfFile, readAtOnce, StartError, startErrorOf, type Audit } from '../kernel/index.js';

/**
 * Looks through a database file, also while a service runs on it: whether SQLite finds it whole, and whether what is in it twice says the same.
 * @throws StartError where it cannot be read
 */
export function checkIntegrity(file: string, now: number): readonly Audit[] {
  if (!existsSync(file)) throw new StartError(`There is no database at ${file}.`);
  try {
    return readAtOnce(file, (reads, raw) => {
      const faults = faultsOfFile(raw);
      const whole: Audit = { name: 'the file itself', looked: 1, wrong: faults.length, faults };
      // Where the file is damaged, nothing that is read from it means anything.
      if (faults.some((fault) => !fault.includes('refer to rows'))) return [whole];
      const auditors = [
        statesByFacts,
        attemptsCounted,
        emailsOwned,
        figuresByDeliveries,
        contentsWhole(now),
        contentsUsed,
        capturedIndexed,
        editionFiles,
      ];
      return [whole, ...auditors.map((audit) => audit(reads))];
    });
  } catch (error) {
    // So damaged that it cannot be looked through.
    if (/^SQLITE_(CORRUPT|NOTADB)/.test((error as { code?: string }).code ?? ''))
      return [{ name: 'the file itself', looked: 1, wrong: 1, faults: [`SQLite: ${(error as Error).message}`] }];
    throw startErrorOf(error, file);
  }
}
