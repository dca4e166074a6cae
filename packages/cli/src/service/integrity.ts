import { isAbsolute, join, resolve } from 'node:path';
import { checkIntegrity } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import type { ExitCode, Output } from '../output.js';

/** Looks through a database for what is wrong. @returns 1 when something is */
export function integrity(
  file: string | undefined,
  { config, json = false }: { readonly config?: string; readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const audits = checkIntegrity(file === undefined ? databaseOf(config) : resolve(file), Date.now());
  const isGood = audits.every(({ wrong }) => wrong === 0);
  if (json) output.json({ isGood, audits });
  else {
    const { color } = output;
    for (const { name, looked, wrong, faults } of audits) {
      output.out(`${wrong === 0 ? color.green('✓') : color.red('✗')} ${name}: ${looked} looked at${wrong === 0 ? '' : `, ${wrong} wrong`}`);
      for (const fault of faults) output.out(`    ${fault}`);
      if (wrong > faults.length) output.out(`    … and ${wrong - faults.length} more`);
    }
  }
  return Promise.resolve(isGood ? 0 : 1);
}

function databaseOf(config: string | undefined): string {
  const { settings, folder } = readConfig(config, process.env);
  return isAbsolute(settings.databaseFile) ? settings.databaseFile : join(folder, settings.databaseFile);
}
