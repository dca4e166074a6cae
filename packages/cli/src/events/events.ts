import type { Client, CloudEvent } from '@verbalis/client';
import { UsageError, type ExitCode, type Output } from '../output.js';
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

/** Pages without an event that one call goes through: some seconds. */
const MOST_EMPTY = 200;

function emptyNote(filter: string | undefined, hasMore: boolean): string {
  if (filter === undefined) return 'No events yet.';
  return hasMore ? 'No event has passed the filter so far; there are older ones.' : 'No event passes the filter.';
}

export async function listEvents(
  client: Client,
  options: { readonly json?: boolean; readonly filter?: string; readonly limit?: string; readonly cursor?: string; readonly try?: boolean },
  output: Output,
): Promise<ExitCode> {
  if (options.try === true) return tryFilter(client, options, output);
  const { json, limit, filter: text, cursor } = options;
  const filter = { ...(text === undefined ? {} : { filter: text }), ...(cursor === undefined ? {} : { cursor }) };
  const ask = (from: object) => client.events.list({ ...filter, ...from, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  let page = await ask({});
  // A page of a filter that lets little through may be empty, and others follow.
  for (let asked = 1; asked < MOST_EMPTY && page.events.length === 0 && page.nextCursor !== undefined; asked += 1)
    page = await ask({ cursor: page.nextCursor });
  if (json === true) output.json(page);
  else if (page.events.length === 0) output.note(emptyNote(text, page.nextCursor !== undefined));
  else for (const event of page.events) output.out(eventLine(event, output));
  if (page.nextCursor !== undefined && json !== true) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

/** Says how many of the last day's events a filter lets through. */
async function tryFilter(client: Client, { filter }: { readonly filter?: string }, output: Output): Promise<ExitCode> {
  if (filter === undefined) throw new UsageError('There is no filter to be tried.', "Give --filter 'type in [failed, complained]'.");
  const result = await client.events.tryFilter({ filter });
  const kinds = Object.entries(result.kinds).map(([kind, count]) => `${count} ${kind}`);
  output.result(
    result,
    `${result.passed} of the ${result.looked} events of the last day pass${kinds.length === 0 ? '' : `: ${kinds.join(', ')}`}.`,
  );
  return 0;
}

/** Shows events as they happen, until it is interrupted. */
export async function followEvents(client: Client, { filter }: { readonly filter?: string }, output: Output): Promise<ExitCode> {
  const end = new AbortController();
  process.once('SIGINT', () => {
    end.abort();
  });
  process.once('SIGTERM', () => {
    end.abort();
  });
  output.note('Waiting for events. Stop with Ctrl+C.');
  for await (const event of client.events.follow(filter === undefined ? {} : { filter }, { signal: end.signal }))
    output.line(event, eventLine(event, output));
  return 0;
}
