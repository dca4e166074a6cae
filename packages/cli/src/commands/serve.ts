import { startService, StartError } from '@verbalis/service';
import { ConfigError, readConfig } from '@verbalis/service/config';
import type { ExitCode, Output } from '../output.js';

export interface ServeOptions {
  readonly config?: string;
  readonly json?: boolean;
}

/** Runs the service until it is told to end (SIGINT, SIGTERM). */
export async function serve(options: ServeOptions, output: Output): Promise<ExitCode> {
  let service;
  try {
    const config = readConfig(options.config, process.env);
    service = await startService({ config, operatorSecret: process.env['VERBALIS_OPERATOR_SECRET'] });
  } catch (error) {
    if (!(error instanceof ConfigError) && !(error instanceof StartError)) throw error;
    output.note(error.message);
    return 2;
  }
  const { url, signInUrl, returnsPort, stop } = service;
  // Whoever reads where it listens may end it at once: the ear is open before the mouth.
  const told = new Promise<void>((resolve) => {
    process.once('SIGINT', () => resolve());
    process.once('SIGTERM', () => resolve());
  });
  if (options.json === true) output.out(JSON.stringify({ url, signInUrl, returnsPort }));
  else
    output.out(
      `Verbalis listens at ${url}\nConsole (this link opens it once): ${signInUrl}\nReturns by SMTP on port ${returnsPort}. End with Ctrl+C.`,
    );
  await told;
  output.note('Ending: what is under way is finished first.');
  await stop();
  return 0;
}
