import { readFile } from 'node:fs/promises';
import type { Client, NewSubscription, Subscription } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

interface Json {
  readonly json?: boolean;
}

function stateText({ state, restingUntil }: Subscription, { color }: Output): string {
  if (state === 'active') return restingUntil === undefined ? color.green('● active') : color.yellow('◐ resting');
  return state === 'paused' ? color.yellow('◌ paused') : color.red(state === 'gone' ? '✗ gone' : '? unproven');
}

function subscriptionText(subscription: Subscription, output: Output): string {
  const { color } = output;
  const rows: [string, string][] = [
    ['State', `${stateText(subscription, output)}${subscription.reason === undefined ? '' : `  ${subscription.reason}`}`],
    ['To', subscription.url],
    ['Filter', subscription.filter === '' ? 'everything' : subscription.filter],
    ...(subscription.batch > 1 ? [['Together', `up to ${subscription.batch}`] as [string, string]] : []),
    ...(subscription.payload === undefined ? [] : [['Shape', JSON.stringify(subscription.payload)] as [string, string]]),
    ['Delivered', String(subscription.delivered)],
    ['Waiting', `${subscription.waiting}${subscription.behind > 0 ? `, ${subscription.behind} events not looked at` : ''}`],
    ['Dead letters', String(subscription.deadLetters)],
    ...(subscription.restingUntil === undefined
      ? []
      : [['Resting', `until ${clockTime(subscription.restingUntil)}, since it fails`] as [string, string]]),
    ...(subscription.secret === undefined ? [] : [['Secret', `${color.bold(subscription.secret)}   (shown once)`] as [string, string]]),
  ];
  const wide = Math.max(...rows.map(([name]) => name.length));
  return [
    `${color.bold(subscription.name)}  ${color.dim(subscription.id)}`,
    ...rows.map(([name, value]) => `  ${color.dim(name.padEnd(wide))}  ${value}`),
  ].join('\n');
}

function show(subscription: Subscription, output: Output): ExitCode {
  output.result(subscription, subscriptionText(subscription, output));
  return subscription.state === 'unproven' ? 1 : 0;
}

export async function listSubscriptions(client: Client, { json }: Json, output: Output): Promise<ExitCode> {
  const { subscriptions: list } = await client.subscriptions.list();
  if (json === true) output.json(list);
  else if (list.length === 0) output.note('No subscription yet. verbalis subscriptions add URL makes one.');
  else
    output.out(
      tableText(
        [
          { title: 'name' },
          { title: 'state' },
          { title: 'delivered', right: true },
          { title: 'waiting', right: true },
          { title: 'dead letters', right: true },
          { title: 'filter' },
          { title: 'subscription' },
        ],
        list.map((subscription) => [
          subscription.name,
          stateText(subscription, output),
          String(subscription.delivered),
          String(subscription.waiting),
          String(subscription.deadLetters),
          subscription.filter === '' ? 'everything' : subscription.filter,
          output.color.dim(subscription.id),
        ]),
        output.color,
      ),
    );
  return 0;
}

export async function addSubscription(
  client: Client,
  url: string,
  options: Json & {
    readonly filter?: string;
    readonly name?: string;
    readonly payload?: string;
    readonly batch?: string;
    readonly header?: string[];
    readonly handshake?: boolean;
  },
  output: Output,
): Promise<ExitCode> {
  const headers = Object.fromEntries(
    (options.header ?? []).map((line) => {
      const colon = line.indexOf(':');
      if (colon <= 0) throw new UsageError(`"${line}" is not a valid header field.`, 'It is written NAME: VALUE.');
      return [line.slice(0, colon).trim(), line.slice(colon + 1).trim()];
    }),
  );
  let payload: unknown;
  if (options.payload !== undefined) {
    const text = options.payload.trimStart().startsWith('{') ? options.payload : await readFile(options.payload, 'utf8');
    try {
      payload = JSON.parse(text);
    } catch (error) {
      throw new UsageError(`The payload is not valid JSON: ${error instanceof Error ? error.message : String(error)}`);
    }
  }
  const wanted = {
    url,
    ...(options.filter === undefined ? {} : { filter: options.filter }),
    ...(options.name === undefined ? {} : { name: options.name }),
    ...(payload === undefined ? {} : { payload }),
    ...(options.batch === undefined ? {} : { batch: Number(options.batch) }),
    ...(Object.keys(headers).length === 0 ? {} : { headers }),
    ...(options.handshake === false ? { handshake: false } : {}),
  } as NewSubscription;
  return show(await client.subscriptions.add(wanted), output);
}

export const ACTIONS = ['pause', 'resume', 'renew-secret'] as const;

export async function changeSubscription(
  client: Client,
  { id, action }: { readonly id: string; readonly action: (typeof ACTIONS)[number] },
  output: Output,
): Promise<ExitCode> {
  const { pause, resume, renewSecret } = client.subscriptions;
  return show(await { pause, resume, 'renew-secret': renewSecret }[action](id), output);
}

export async function showSubscription(client: Client, id: string, output: Output): Promise<ExitCode> {
  show(await client.subscriptions.get(id), output);
  return 0;
}

export async function removeSubscription(client: Client, id: string, output: Output): Promise<ExitCode> {
  await client.subscriptions.remove(id);
  output.note(`${id} gets no events any more.`);
  return 0;
}

export async function testSubscription(client: Client, id: string, { json }: Json, output: Output): Promise<ExitCode> {
  const result = await client.subscriptions.test(id);
  if (json === true) output.json(result);
  else if (result.ok) output.out(`${output.color.green('✓')} It answered ${result.status ?? ''} after ${result.milliseconds} ms.`);
  else output.out(`${output.color.red('✗')} ${result.problem ?? 'It failed.'}`);
  return result.ok ? 0 : 1;
}

export async function replaySubscription(
  client: Client,
  id: string,
  { since }: { readonly since: string },
  output: Output,
): Promise<ExitCode> {
  const at = new Date(since);
  if (Number.isNaN(at.getTime())) throw new UsageError(`"${since}" is not a valid time.`, 'It looks like 2026-12-04T08:15:00Z.');
  return show(await client.subscriptions.replay(id, { since: at.toISOString() }), output);
}

export async function againSubscription(client: Client, id: string, notifications: string[], output: Output): Promise<ExitCode> {
  const { count } = await client.subscriptions.again(id, notifications.length === 0 ? {} : { notifications });
  output.note(`${count} on ${count === 1 ? 'its' : 'their'} way again.`);
  return 0;
}

export async function listNotifications(
  client: Client,
  id: string,
  {
    json,
    limit,
    ...filter
  }: Json & { readonly state?: 'waiting' | 'delivered' | 'dead-letter'; readonly limit?: string; readonly cursor?: string },
  output: Output,
): Promise<ExitCode> {
  const page = await client.subscriptions.notifications(id, { ...filter, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json === true) output.json(page);
  else if (page.notifications.length === 0) output.note('Nothing was sent to it yet.');
  else
    output.out(
      tableText(
        [
          { title: 'last try' },
          { title: 'state' },
          { title: 'event' },
          { title: 'about' },
          { title: 'tries', right: true },
          { title: 'ms', right: true },
          { title: 'answer' },
          { title: 'notification' },
        ],
        page.notifications.map((notification) => [
          notification.lastAt === undefined ? '' : clockTime(notification.lastAt),
          notification.state,
          notification.type.replace('verbalis.', ''),
          notification.address ?? '',
          String(notification.attempts),
          String(notification.milliseconds ?? ''),
          notification.problem ?? String(notification.status ?? ''),
          output.color.dim(notification.id),
        ]),
        output.color,
      ),
    );
  if (page.nextCursor !== undefined && json !== true) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}
