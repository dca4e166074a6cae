import { startService, type Service } from '@verbalis/service';
import { readConfig, type ReadConfig } from '@verbalis/service/settings';
import { findingLines } from '../doctor/findings.js';
import { UsageError, type ExitCode, type Output } from '../output.js';
import { errorText, reloadText } from './configuration.js';

const MOST_WORKERS = 64;

export interface ServeOptions {
  readonly config?: string;
  readonly json?: boolean;
  readonly workers?: string;
  readonly signInLink?: boolean;
  readonly endsWithStdin?: boolean;
}

/** What is still to be done, where something is. */
async function showFirstSteps(service: Service, output: Output): Promise<void> {
  const open = (await service.examine()).filter(({ level }) => level !== 'good');
  if (open.length === 0) return;
  output.note(['', 'Still to be done (verbalis doctor shows it again):', ...findingLines(open, output.color)].join('\n'));
}

/** Runs the service until it is interrupted to end (SIGINT, SIGTERM). */
export async function serve(options: ServeOptions, output: Output): Promise<ExitCode> {
  const workers = Number(options.workers ?? 1);
  if (!Number.isInteger(workers) || workers < 1 || workers > MOST_WORKERS)
    throw new UsageError(`"${options.workers ?? ''}" is not a number of workers.`, `From 1 to ${MOST_WORKERS}.`);
  const reread = (): ReadConfig => readConfig(options.config, process.env);
  const config = reread();
  const operatorSecret = process.env['VERBALIS_OPERATOR_SECRET'];
  const failed = (error: unknown): void => {
    output.note(`Neither the new configuration nor the old one could be opened: ${error instanceof Error ? error.message : String(error)}`);
    process.exit(1);
  };
  const service = await startService({ config, reread, failed, workers, operatorSecret });
  // On a hang-up signal the configuration is read again; it ends nothing.
  process.on('SIGHUP', () => {
    service.reload().then(
      (changes) => output.note(reloadText(changes)),
      (error: unknown) => output.note(errorText(error)),
    );
  });
  const { url, linksPort, metricsPort, returnsPort, submissionPort, submissionTlsPort, stop } = service;
  // Whoever reads the log of a service must not be able to sign in by it.
  const isShown = options.signInLink === true || (options.json !== true && process.stdout.isTTY);
  const signInUrl = isShown ? await service.signInLink() : undefined;
  // Whoever reads where it listens may end it at once: the ear is open before the mouth.
  const interrupted = new Promise<void>((resolve) => {
    process.once('SIGINT', () => resolve());
    process.once('SIGTERM', () => resolve());
    // Whoever has started it may end without a word.
    if (options.endsWithStdin === true)
      process.stdin
        .once('end', () => resolve())
        .once('error', () => resolve())
        .resume();
  });
  const addresses = { url, signInUrl, linksPort, metricsPort, returnsPort, submissionPort, submissionTlsPort };
  output.line(
    addresses,
    [
      `Verbalis listens at ${url}`,
      signInUrl === undefined
        ? `Console: ${url} (a link that signs you in: verbalis console link)`
        : `Console (this link opens it once, within 15 minutes): ${signInUrl}`,
      ...(linksPort === undefined ? [] : [`Links of emails (/go/ and /image/) on port ${linksPort}.`]),
      `Returns by SMTP on port ${returnsPort}. End with Ctrl+C.`,
    ].join('\n'),
  );
  if (options.json !== true) await showFirstSteps(service, output);
  await interrupted;
  output.note('Stopping: what is under way is finished first. Press Ctrl+C again to stop at once.');
  // A second signal does not wait for anything.
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => process.exit(1));
  await stop();
  // It would keep this process alive for as long as whoever has started it lives.
  if (options.endsWithStdin === true) process.stdin.destroy();
  return 0;
}
