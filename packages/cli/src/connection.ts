import { createClient, type Client } from '@verbalis/client';
import { UsageError } from './output.js';

export interface ConnectionOptions {
  readonly url?: string | undefined;
  readonly key?: string | undefined;
  readonly space?: string | undefined;
}

/** A client from options and environment: --url or VERBALIS_URL, --key or VERBALIS_KEY, or the operator's secret. */
export function connect(options: ConnectionOptions): Client {
  const url = options.url ?? process.env['VERBALIS_URL'] ?? 'http://127.0.0.1:8620';
  if (!/^https?:\/\/[^\s/]+\/?$/.test(url))
    throw new UsageError(`"${url}" is not a valid service address.`, 'It looks like http://127.0.0.1:8620.');
  // One that is set to nothing is not set.
  const set = (name: string): string | undefined => (process.env[name] === '' ? undefined : process.env[name]);
  const key = options.key ?? set('VERBALIS_KEY') ?? set('VERBALIS_OPERATOR_SECRET');
  if (key === undefined) throw new UsageError('No key is set.', 'Set VERBALIS_KEY in the environment or in .env, or give --key KEY.');
  return createClient({ url, key, space: options.space });
}
