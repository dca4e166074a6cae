import type { Output } from '../output.js';

interface Ending {
  /** Whether the end of standard input ends this process, too. */
  readonly endsWithStdin?: boolean;
}

/** Resolves when the process is to end. */
export function interruption({ endsWithStdin }: Ending): Promise<'interrupted'> {
  return new Promise((resolve) => {
    const end = (): void => {
      resolve('interrupted');
    };
    process.once('SIGINT', end);
    process.once('SIGTERM', end);
    // The process that started it may end without a signal.
    if (endsWithStdin === true) process.stdin.once('end', end).once('error', end).resume();
  });
}

/** Finishes what is under way, unless it is interrupted again. */
export async function end({ stop }: { readonly stop: () => Promise<void> }, { endsWithStdin }: Ending, output: Output): Promise<void> {
  output.note('Stopping: work in progress is finished first. Press Ctrl+C again to stop immediately.');
  // A second signal does not wait for anything.
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => process.exit(1));
  await stop();
  // It would keep this process alive for as long as its parent lives.
  if (endsWithStdin === true) process.stdin.destroy();
}
