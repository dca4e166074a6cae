import { startService } from '@verbalis/service';
import { readConfig } from '@verbalis/service/settings';
import { UsageError, type ExitCode, type Output } from '../output.js';

const MOST_WORKERS = 64;

export interface ServeOptions {
  readonly config?: string;
  readonly json?: boolean;
  readonly workers?: string;
  readonly signInLink?: boolean;
}

/** Runs the service until it is interrupted to end (SIGINT, SIGTERM). */
export async function serve(options: ServeOptions, output: Output): Promise<ExitCode> {
  const workers = Number(options.workers ?? 1);
  if (!Number.isInteger(workers) || workers < 1 || workers > MOST_WORKERS)
    throw new UsageError(`"${options.workers ?? ''}" is not a number of workers.`, `From 1 to ${MOST_WORKERS}.`);
  const config = readConfig(options.config, process.env);
  const service = await startService({ config, workers, operatorSecret: process.env['VERBALIS_OPERATOR_SECRET'] });
  const { url, metricsPort, returnsPort, submissionPort, submissionTlsPort, stop } = service;
  // Whoever reads the log of a service must not be able to sign in by it.
  const isShown = options.signInLink === true || (options.json !== true && process.stdout.isTTY);
  const signInUrl = isShown ? await service.signInLink() : undefined;
  // Whoever reads where it listens may end it at once: the ear is open before the mouth.
  const interrupted = new Promise<void>((resolve) => {
    process.once('SIGINT', () => resolve());
    process.once('SIGTERM', () => resolve());
  });
  if (options.json === true) output.out(JSON.stringify({ url, signInUrl, metricsPort, returnsPort, submissionPort, submissionTlsPort }));
  else
    output.out(
      [
        `Verbalis listens at ${url}`,
        signInUrl === undefined
          ? `Console: ${url} (a link that signs you in: verbalis sign-in)`
          : `Console (this link opens it once, within ten minutes): ${signInUrl}`,
        `Returns by SMTP on port ${returnsPort}. End with Ctrl+C.`,
      ].join('\n'),
    );
  await interrupted;
  output.note('Stopping: what is under way is finished first. Press Ctrl+C again to stop at once.');
  // A second signal does not wait for anything.
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => process.exit(1));
  await stop();
  return 0;
}
