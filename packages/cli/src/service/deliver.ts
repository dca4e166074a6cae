import { startDeliveryWorker } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { end, interruption } from './ending.js';
import { versionOf } from './version.js';

export interface DeliverCommand {
  readonly config?: string;
  readonly most?: string;
  readonly endsWithStdin?: boolean;
  readonly json?: boolean;
}

const MOST = 1000;

/** Runs a delivery worker until it is interrupted. */
export async function deliver(options: DeliverCommand, output: Output): Promise<ExitCode> {
  const most = Number(options.most ?? 64);
  if (!Number.isInteger(most) || most < 1 || most > MOST)
    throw new UsageError(`"${options.most ?? ''}" is not a number of emails at once.`, `From 1 to ${MOST}.`);
  const config = readConfig(options.config, process.env);
  const interrupted = interruption(options);
  const operatorSecret = process.env['VERBALIS_OPERATOR_SECRET'];
  const worker = await startDeliveryWorker({ config, operatorSecret, version: versionOf(), most });
  output.line({ worker: worker.name }, `Delivery worker ${worker.name}: up to ${most} concurrent emails. End with Ctrl+C.`);
  await interrupted;
  await end(worker, options, output);
  return 0;
}
