import { RefusedError } from '@verbalis/client';
import { connect, serviceUrl, type ConnectionOptions } from '../connection.js';
import type { ExitCode, Output } from '../output.js';

/** What a key may not see is left out, not an error. */
async function ifAllowed<T>(asked: Promise<T>): Promise<T | undefined> {
  try {
    return await asked;
  } catch (error) {
    if (error instanceof RefusedError && [400, 401, 403].includes(error.problem.status)) return undefined;
    throw error;
  }
}

/** Whether the service is ready and, as far as the key may see it: the edition, what waits, providers and alerts. Exits with 1 if it is not ready. */
export async function status(options: ConnectionOptions, output: Output): Promise<ExitCode> {
  const { color } = output;
  const url = serviceUrl(options);
  const client = connect(options);
  const health = await client.readiness();
  const [queue, providers, alerts, editions] = await Promise.all([
    ifAllowed(client.queue.get()),
    ifAllowed(client.providers.list()),
    ifAllowed(client.alerts.list()),
    ifAllowed(client.editions.list()),
  ]);
  const firing = alerts?.alerts.filter(({ resolvedAt }) => resolvedAt === undefined);
  const result = {
    url,
    ...health,
    edition: editions?.editions.find(({ inUse }) => inUse)?.number,
    queue: queue === undefined ? undefined : { waiting: queue.waiting, due: queue.due, held: queue.held, oldest: queue.oldest },
    providers: providers?.providers.map(({ name, state }) => ({ name, state })),
    firing: firing?.map(({ rule }) => rule),
  };
  const lines = [health.ready ? `${color.green('●')} ready   ${url}` : `${color.red('✗')} not ready   ${url}`];
  for (const problem of health.problems ?? []) lines.push(`  ${color.red(problem)}`);
  const facts: (readonly [string, string | undefined])[] = [
    ['Edition', result.edition === undefined ? undefined : String(result.edition)],
    ['Queue', queue === undefined ? undefined : `${queue.waiting} waiting, ${queue.due} due, ${queue.held} held`],
    ['Providers', result.providers?.map(({ name, state }) => `${name}: ${state}`).join(', ') || undefined],
    [
      'Alerts',
      firing === undefined
        ? undefined
        : firing.length === 0
          ? 'none firing'
          : color.red(`${firing.length} firing: ${firing.map(({ rule }) => rule).join(', ')}`),
    ],
  ];
  for (const [name, value] of facts) if (value !== undefined) lines.push(`  ${color.dim(name.padEnd(9))}  ${value}`);
  if (facts.every(([, value]) => value === undefined)) output.note('The key may see nothing of this: only readiness is shown.');
  output.result(result, lines.join('\n'));
  return health.ready ? 0 : 1;
}
