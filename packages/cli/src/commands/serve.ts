import { spawn, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { startService, startWorker, StartError, type Service } from '@verbalis/service';
import { ConfigError, readConfig } from '@verbalis/service/config';
import { UsageError, type ExitCode, type Output } from '../output.js';

const CLI = fileURLToPath(new URL('../../bin/verbalis.js', import.meta.url));
const MOST_WORKERS = 64;
/** Before a worker that ended is started again. */
const AGAIN_MS = 1000;

export interface ServeOptions {
  readonly config?: string;
  readonly json?: boolean;
  readonly workers?: string;
  /** Only work on the queue, under this name; the service starts its workers so. */
  readonly worker?: string;
}

/** Runs the service until it is told to end (SIGINT, SIGTERM). */
export async function serve(options: ServeOptions, output: Output): Promise<ExitCode> {
  const workers = Number(options.workers ?? 1);
  if (!Number.isInteger(workers) || workers < 1 || workers > MOST_WORKERS)
    throw new UsageError(`"${options.workers ?? ''}" is no number of workers.`, `From 1 to ${MOST_WORKERS}.`);
  if (options.worker !== undefined) return work(options.worker, workers, options);
  let service;
  try {
    const config = readConfig(options.config, process.env);
    service = await startService({ config, workers, operatorSecret: process.env['VERBALIS_OPERATOR_SECRET'] });
  } catch (error) {
    if (!(error instanceof ConfigError) && !(error instanceof StartError)) throw error;
    output.note(error.message);
    return 2;
  }
  const { url, signInUrl, returnsPort, submissionPort, stop } = service;
  const endWorkers = startWorkers(service, workers, options);
  // Whoever reads where it listens may end it at once: the ear is open before the mouth.
  const told = new Promise<void>((resolve) => {
    process.once('SIGINT', () => resolve());
    process.once('SIGTERM', () => resolve());
  });
  if (options.json === true) output.out(JSON.stringify({ url, signInUrl, returnsPort, submissionPort }));
  else
    output.out(
      `Verbalis listens at ${url}\nConsole (this link opens it once): ${signInUrl}\nReturns by SMTP on port ${returnsPort}. End with Ctrl+C.`,
    );
  await told;
  output.note('Ending: what is under way is finished first.');
  await endWorkers();
  await stop();
  return 0;
}

async function work(name: string, workers: number, options: ServeOptions): Promise<ExitCode> {
  const told = new Promise<void>((resolve) => {
    process.once('SIGTERM', () => resolve());
    // A worker ends with its service: when the pipe to it closes, nobody is left to stop it.
    process.stdin.once('end', () => resolve()).resume();
  });
  // Ctrl+C reaches every process of a terminal; the service ends its workers itself.
  process.on('SIGINT', () => undefined);
  const { stop } = startWorker({ config: readConfig(options.config, process.env), workers, name });
  await told;
  await stop();
  return 0;
}

/** Starts the other processes that work on the queue; one that ends is started again. */
function startWorkers(service: Service, workers: number, options: ServeOptions): () => Promise<void> {
  const children = new Map<string, ChildProcess>();
  let ending = false;
  const start = (name: string): void => {
    const config = options.config === undefined ? [] : ['--config', options.config];
    const child = spawn(process.execPath, [CLI, 'serve', ...config, '--workers', String(workers), '--worker', name], {
      stdio: ['pipe', 'ignore', 'inherit'],
    });
    children.set(name, child);
    child.once('exit', () => {
      children.delete(name);
      if (ending) return;
      service.workerGone(name);
      setTimeout(() => {
        if (!ending) start(name);
      }, AGAIN_MS).unref();
    });
  };
  for (let n = 2; n <= workers; n += 1) start(`worker-${n}`);
  return async () => {
    ending = true;
    await Promise.all(
      [...children.values()].map(
        (child) =>
          new Promise<void>((done) => {
            child.once('exit', () => {
              done();
            });
            child.kill('SIGTERM');
          }),
      ),
    );
  };
}
