import { readFileSync } from 'node:fs';
import { createClient, type Client } from '@verbalis/client';
import { fileFault } from '@verbalis/core/system';
import { UsageError } from './output.js';

export interface ConnectionOptions {
  readonly url?: string | undefined;
  readonly key?: string | undefined;
  readonly keyFile?: string | undefined;
  readonly space?: string | undefined;
  /** Whether lists are read to their end. */
  readonly allPages?: boolean | undefined;
}

/** The key in a file, so that it is in no list of processes and in no history. @throws UsageError */
function keyIn(file: string): string {
  let text: string;
  try {
    text = readFileSync(file, 'utf8').trim();
  } catch (error) {
    throw new UsageError(`The key file ${file} cannot be read: ${fileFault(error)}.`);
  }
  if (!/^\S+$/.test(text)) throw new UsageError(`The key file ${file} must hold one key and nothing else.`);
  return text;
}

type Page = Record<string, unknown> & { nextCursor?: string };

/** Reads lists to their end: one answer has the items of all pages. */
const everyPage: typeof fetch = async (input, init) => {
  const first = new Request(input, init);
  const response = await fetch(first.clone());
  const isJson = response.headers.get('content-type')?.includes('application/json') === true;
  if (first.method !== 'GET' || !response.ok || !isJson) return response;
  const whole = (await response.json()) as Page;
  const seen = new Set<string>();
  for (let { nextCursor } = whole; nextCursor !== undefined;) {
    if (seen.has(nextCursor)) throw new Error(`The list gave the cursor ${nextCursor} twice.`);
    seen.add(nextCursor);
    const url = new URL(first.url);
    url.searchParams.set('cursor', nextCursor);
    const next = await fetch(new Request(url, first));
    if (!next.ok) return next;
    const page = (await next.json()) as Page;
    for (const [name, items] of Object.entries(page))
      if (Array.isArray(items)) whole[name] = [...((whole[name] ?? []) as unknown[]), ...(items as unknown[])];
    ({ nextCursor } = page);
  }
  delete whole.nextCursor;
  return Response.json(whole);
};

/** What an environment variable is set to; one that is set to nothing is not set. */
const set = (name: string): string | undefined => (process.env[name] === '' ? undefined : process.env[name]);

/** Where the service is, by --url or VERBALIS_URL. @throws UsageError */
export function serviceUrl({ url = set('VERBALIS_URL') ?? 'http://127.0.0.1:8620' }: ConnectionOptions): string {
  if (!/^https?:\/\/[^\s/]+\/?$/.test(url))
    throw new UsageError(`"${url}" is not a valid service address.`, 'It looks like http://127.0.0.1:8620.');
  return url.replace(/\/$/, '');
}

/**
 * A client from options and environment: --url or VERBALIS_URL; --key, --key-file or VERBALIS_KEY, or the operator's secret; --space or
 * VERBALIS_SPACE.
 */
export function connect(options: ConnectionOptions): Client {
  const url = serviceUrl(options);
  const given = options.keyFile === undefined ? options.key : keyIn(options.keyFile);
  const key = given ?? set('VERBALIS_KEY') ?? set('VERBALIS_OPERATOR_SECRET');
  if (key === undefined)
    throw new UsageError('No key is set.', 'Set VERBALIS_KEY in the environment or in .env, or give --key KEY or --key-file FILE.');
  const pages = options.allPages === true ? { fetch: everyPage } : {};
  return createClient({ url, key, space: options.space ?? set('VERBALIS_SPACE'), ...pages });
}
