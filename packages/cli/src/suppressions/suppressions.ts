import { readFile } from 'node:fs/promises';
import type { Client, SuppressionView } from '@verbalis/client';
import { writeOut } from '../out-file.js';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';
import { clockTime } from '../words.js';

export interface SuppressionsOptions {
  readonly address?: string;
  readonly topic?: string;
  readonly reason?: SuppressionView['reason'];
  readonly lifted?: boolean;
  readonly limit?: string;
  readonly cursor?: string;
  readonly json?: boolean;
}

export async function listSuppressions(client: Client, options: SuppressionsOptions, output: Output): Promise<ExitCode> {
  const { json, limit, lifted, ...filter } = options;
  const page = await client.suppressions.list({
    ...filter,
    ...(lifted === true ? { lifted: 'yes' as const } : {}),
    ...(limit === undefined ? {} : { limit: Number(limit) }),
  });
  if (json === true) output.json(page);
  else if (page.suppressions.length === 0) output.note('No address is suppressed.');
  else
    output.out(
      tableText(
        [{ title: 'since' }, { title: 'address' }, { title: 'topic' }, { title: 'reason' }, { title: 'cause' }, { title: 'suppression' }],
        page.suppressions.map((suppression) => [
          clockTime(suppression.createdAt),
          suppression.address,
          suppression.topic ?? 'all',
          suppression.liftedAt === undefined ? suppression.reason : `${suppression.reason}, removed: ${suppression.liftNote ?? ''}`,
          suppression.cause ?? '',
          output.color.dim(suppression.id),
        ]),
        output.color,
      ),
    );
  if (page.nextCursor !== undefined && json !== true) output.note(`More: --cursor ${page.nextCursor}`);
  return 0;
}

export async function addSuppression(
  client: Client,
  address: string,
  { topic, note }: { topic?: string; note?: string },
  output: Output,
): Promise<ExitCode> {
  const one = await client.suppressions.add({
    address,
    ...(topic === undefined ? {} : { topic }),
    ...(note === undefined ? {} : { note }),
  });
  output.result(one, `${one.address} gets no mail any more${one.topic === undefined ? '' : ` of the topic "${one.topic}"`}. (${one.id})`);
  return 0;
}

/** Lifts what stands against an address, or one suppression by its id. */
export async function liftSuppression(client: Client, what: string, { note }: { note: string }, output: Output): Promise<ExitCode> {
  const ids = what.includes('@')
    ? (await client.suppressions.list({ address: what })).suppressions.map((suppression) => suppression.id)
    : [what];
  if (ids.length === 0) {
    output.note(`${what} is not suppressed.`);
    return 1;
  }
  const lifted: SuppressionView[] = [];
  for (const id of ids) lifted.push(await client.suppressions.lift(id, { note }));
  output.result(
    lifted,
    lifted.map(({ address, topic }) => `${address} may get mail again${topic === undefined ? '' : ` of the topic "${topic}"`}.`).join('\n'),
  );
  return 0;
}

/** Takes a CSV file; says of each line that could not be taken why. Ends with 1 when there is one. */
export async function importSuppressions(client: Client, file: string, options: { json?: boolean }, output: Output): Promise<ExitCode> {
  const text = await readFile(file, 'utf8').catch(() => {
    throw new UsageError(`There is no file "${file}".`, 'A CSV file with a header line; one column is "address".');
  });
  const report = await client.suppressions.import(text);
  if (options.json === true) output.json(report);
  else {
    for (const line of report.lines) if (line.problem !== undefined) output.out(`${file}:${line.line}: ${output.color.red(line.problem)}`);
    output.out(`${report.added} added, ${report.known} known already, ${report.refused} refused.`);
  }
  return report.refused > 0 ? 1 : 0;
}

export async function exportSuppressions(client: Client, options: { out?: string }, output: Output): Promise<ExitCode> {
  const text = await client.suppressions.export();
  if (options.out === undefined) output.out(text);
  else {
    writeOut(options.out, text);
    output.note(`Written to ${options.out}.`);
  }
  return 0;
}
