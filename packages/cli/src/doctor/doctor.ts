import { existsSync } from 'node:fs';
import { UnreachableError, type DoctorFinding } from '@verbalis/client';
import { connect, type ConnectionOptions } from '../connection.js';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { findingLines } from './findings.js';

export interface DoctorOptions extends ConnectionOptions {
  readonly config?: string;
  readonly json?: boolean;
}

const CONFIG = 'verbalis.yaml';

async function atRest(file: string): Promise<readonly DoctorFinding[]> {
  const [{ examineAtRest }, { readConfig }] = await Promise.all([import('@verbalis/service'), import('@verbalis/service/settings')]);
  return examineAtRest(readConfig(file, process.env), process.env['VERBALIS_OPERATOR_SECRET']);
}

/** Asks the service; where none answers here, the configuration of this folder is looked at. */
async function findings(options: DoctorOptions, output: Output): Promise<readonly DoctorFinding[]> {
  if (options.config !== undefined) return atRest(options.config);
  const hasKey =
    options.key !== undefined || [process.env['VERBALIS_KEY'], process.env['VERBALIS_OPERATOR_SECRET']].some((key) => (key ?? '') !== '');
  if (!hasKey && existsSync(CONFIG)) {
    output.note(`No key is set, so no service is asked; ${CONFIG} and its database are looked at.`);
    return atRest(CONFIG);
  }
  try {
    return (await connect(options).doctor.get()).findings;
  } catch (error) {
    if (!(error instanceof UnreachableError) || options.url !== undefined) throw error;
    if (!existsSync(CONFIG))
      throw new UsageError('No service answers, and there is no verbalis.yaml here.', 'Give --url of a service, or --config FILE.');
    output.note(`No service answers; ${CONFIG} and its database are looked at. What only a running service knows is left out.`);
    return atRest(CONFIG);
  }
}

/** What is missing or risky. */
export async function doctor(options: DoctorOptions, output: Output): Promise<ExitCode> {
  const found = await findings(options, output);
  output.result({ findings: found }, findingLines(found, output.color).join('\n'));
  return found.some(({ level }) => level === 'must') ? 1 : 0;
}
