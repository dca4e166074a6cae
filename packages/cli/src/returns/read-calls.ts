import { readFile } from 'node:fs/promises';
import { readProfile, UnreadableContent, type CallbackEvent } from '@verbalis/core/profile';
import { readConfig } from '@verbalis/service/settings';
import { UsageError, type ExitCode, type Output } from '../output.js';

/** What a provider's call says, by the profile of a configuration. */
export async function readCalls(
  paths: readonly string[],
  options: { profile: string; config?: string },
  output: Output,
): Promise<ExitCode> {
  const { settings } = readConfig(options.config ?? 'verbalis.yaml', process.env);
  const provider = settings.providers[options.profile];
  const callbacks = provider?.kind === 'http' ? readProfile(provider).callbacks : undefined;
  if (callbacks === undefined)
    throw new UsageError(
      `There is no provider "${options.profile}" with callbacks in the configuration.`,
      'Name the configuration with --config FILE.',
    );
  let unknown = 0;
  for (const path of paths) {
    const body = await readFile(path).catch(() => {
      throw new UsageError(`There is no file "${path}".`, 'A file with the body of a call.');
    });
    let events: readonly CallbackEvent[];
    try {
      const call = { method: 'POST', url: '', headers: {}, body };
      events = callbacks.events.raw(call, callbacks.content.read(body).inside).map(callbacks.events.read);
    } catch (error) {
      if (!(error instanceof UnreadableContent)) throw error;
      throw new UsageError(`"${path}" cannot be read by the profile: ${error.message}`);
    }
    for (const event of events) {
      if (event.meaning === undefined) unknown += 1;
      output.line({ file: path, ...event, source: undefined }, eventLine(event, output));
    }
  }
  return unknown > 0 ? 1 : 0;
}

/** An event of a call, in a line. */
function eventLine({ meaning, cause, type, at, address, delivery, mail, messageId, reason }: CallbackEvent, { color }: Output): string {
  const word = meaning === undefined ? color.red(`? no word for "${type}"`) : cause === undefined ? meaning : `${meaning} (${cause})`;
  const about = address ?? delivery ?? mail ?? messageId ?? '(no email named)';
  return [word, about, at === undefined ? '' : new Date(at).toISOString(), reason === undefined ? '' : color.dim(reason)]
    .filter((part) => part !== '')
    .join('  ');
}
