import { readFile } from 'node:fs/promises';
import { eventsOf } from '@verbalis/service/callbacks';
import { readConfig } from '@verbalis/service/settings';
import { UsageError, type ExitCode, type Output } from '../output.js';

/** What a provider's call says, by the profile of a configuration. */
export async function readCalls(
  paths: readonly string[],
  options: { json?: boolean; profile: string; config?: string },
  output: Output,
): Promise<ExitCode> {
  const { settings } = readConfig(options.config ?? 'verbalis.yaml', process.env);
  const provider = settings.providers[options.profile];
  if (provider?.kind !== 'http' || provider.callbacks === undefined)
    throw new UsageError(
      `There is no provider "${options.profile}" with callbacks in the configuration.`,
      'Name the configuration with --config FILE.',
    );
  let unknown = 0;
  for (const path of paths) {
    const text = await readFile(path, 'utf8').catch(() => {
      throw new UsageError(`There is no file "${path}".`, 'A file with the body of a call, as JSON.');
    });
    let body: unknown;
    try {
      body = JSON.parse(text);
    } catch {
      throw new UsageError(`"${path}" is not valid JSON.`);
    }
    for (const callbackEvent of eventsOf(provider.callbacks, body)) {
      const event = { ...callbackEvent, source: undefined };
      if (event.meaning === undefined) unknown += 1;
      if (options.json === true) output.out(JSON.stringify({ file: path, ...event }));
      else {
        const at = event.at === undefined ? '' : `  ${new Date(event.at).toISOString()}`;
        const about = event.address ?? event.delivery ?? event.mail ?? event.messageId ?? '(no mail named)';
        output.out(
          `${event.meaning ?? output.color.red(`? no word for "${event.type}"`)}  ${about}${at}${event.reason === undefined ? '' : output.color.dim(`  ${event.reason}`)}`,
        );
      }
    }
  }
  return unknown > 0 ? 1 : 0;
}
