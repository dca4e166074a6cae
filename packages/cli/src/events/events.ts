import type { Client, CloudEvent } from '@verbalis/client';
import type { ExitCode, Output } from '../output.js';
import { clockTime } from '../words.js';

/** Of a link that was followed or a picture that was loaded: which, and by whom. */
function hitOf({ data: { by, link } }: CloudEvent): string {
  if (typeof by !== 'string') return '';
  const { label = '', url = '' } = (link ?? {}) as { label?: string; url?: string };
  return [label === '' ? url : `"${label}"`, `by a ${by === 'unknown' ? 'reader that is not known' : by}`]
    .filter((part) => part !== '')
    .join(' ');
}

/** One event on one line. */
function eventLine(event: CloudEvent, { color }: Output): string {
  const { data } = event;
  const text = (name: string): string => (typeof data[name] === 'string' ? data[name] : '');
  const kind = event.type.replace(/^verbalis\.(?:delivery\.)?/, '');
  const paint = /^(?:failed|complained|alert\.firing)$/.test(kind)
    ? color.red
    : /^(?:delivered|alert\.resolved)$/.test(kind)
      ? color.green
      : /^(?:delayed|withheld|expired)$/.test(kind)
        ? color.yellow
        : (words: string) => words;
  return [
    color.dim(clockTime(event.time)),
    paint(kind.padEnd(12)),
    text('address') || text('text'),
    hitOf(event),
    text('cause'),
    color.dim(text('reference')),
  ]
    .filter((part) => part !== '')
    .join('  ');
}

export async function listEvents(
  client: Client,
  { json, limit, ...filter }: { readonly json?: boolean } & { readonly filter?: string; readonly limit?: string; readonly cursor?: string },
  output: Output,
): Promise<ExitCode> {
  const page = await client.events.list({ ...filter, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json === true) output.out(JSON.stringify(page, null, 2));
  else if (page.events.length === 0) output.note('No events yet.');
  else for (const event of page.events) output.out(eventLine(event, output));
  if (page.nextCursor !== undefined && json !== true) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

/** Shows events as they happen, until it is interrupted. */
export async function followEvents(
  client: Client,
  { json, filter }: { readonly json?: boolean } & { readonly filter?: string },
  output: Output,
): Promise<ExitCode> {
  const end = new AbortController();
  process.once('SIGINT', () => {
    end.abort();
  });
  process.once('SIGTERM', () => {
    end.abort();
  });
  output.note('Waiting for events. Stop with Ctrl+C.');
  for await (const event of client.events.follow(filter === undefined ? {} : { filter }, { signal: end.signal }))
    output.out(json === true ? JSON.stringify(event) : eventLine(event, output));
  return 0;
}
