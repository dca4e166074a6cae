import { readFileSync } from 'node:fs';
import { createClient, type Client } from '@verbalis/client';
import { UsageError } from './output.js';

export interface ConnectionOptions {
  readonly url?: string | undefined;
  readonly key?: string | undefined;
  readonly keyFile?: string | undefined;
  readonly space?: string | undefined;
}

/** The key in a file, so that it is in no list of processes and in no history. @throws UsageError */
function keyIn(file: string): string {
  let text: string;
  try {
    text = readFileSync(file, 'utf8').trim();
  } catch (error) {
    throw new UsageError(`The key file ${file} cannot be read: ${error instanceof Error ? error.message : String(error)}`);
  }
  if (!/^\S+$/.test(text)) throw new UsageError(`The key file ${file} must hold one key and nothing else.`);
  return text;
}

/**
 * A client from options and environment: --url or VERBALIS_URL; --key, --key-file or VERBALIS_KEY, or the operator's secret; --space or
 * VERBALIS_SPACE.
 */
export function connect(options: ConnectionOptions): Client {
  const url = options.url ?? process.env['VERBALIS_URL'] ?? 'http://127.0.0.1:8620';
  if (!/^https?:\/\/[^\s/]+\/?$/.test(url))
    throw new UsageError(`"${url}" is not a valid service address.`, 'It looks like http://127.0.0.1:8620.');
  // One that is set to nothing is not set.
  const set = (name: string): string | undefined => (process.env[name] === '' ? undefined : process.env[name]);
  const given = options.keyFile === undefined ? options.key : keyIn(options.keyFile);
  const key = given ?? set('VERBALIS_KEY') ?? set('VERBALIS_OPERATOR_SECRET');
  if (key === undefined)
    throw new UsageError('No key is set.', 'Set VERBALIS_KEY in the environment or in .env, or give --key KEY or --key-file FILE.');
  return createClient({ url, key, space: options.space ?? set('VERBALIS_SPACE') });
}
