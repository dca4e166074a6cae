import type { Client, EngagementSums } from '@verbalis/client';
import { tableText, UsageError, type ExitCode, type Output } from '../output.js';

const DAY = 86_400_000;
const NUMBERS = [
  { title: 'people', right: true },
  { title: 'unique', right: true },
  { title: 'machines', right: true },
  { title: 'unknown', right: true },
];
const cells = ({ people, unique, machines, unknown }: EngagementSums): string[] => [people, unique, machines, unknown].map(String);

interface Options {
  readonly json?: boolean;
  readonly days?: string;
  readonly by?: 'template' | 'link' | 'hour';
  readonly template?: string;
  readonly topic?: string;
}

/** Links that were followed and pictures that were loaded. */
export async function engagement(client: Client, { json, days = '7', by, template, topic }: Options, output: Output): Promise<ExitCode> {
  const back = Number(days);
  if (!Number.isFinite(back) || back <= 0) throw new UsageError(`"${days}" is not a valid number of days.`);
  const found = await client.engagement.get({
    from: new Date(Date.now() - back * DAY).toISOString(),
    ...(template === undefined ? {} : { template }),
    ...(topic === undefined ? {} : { topic }),
  });
  if (json === true) {
    output.json(found);
    return 0;
  }
  const { total, before, templates, links, hours } = found;
  const both = (names: readonly string[], row: typeof total): string[][] => [
    [...names, 'links', ...cells(row.links)],
    [...names, 'images', ...cells(row.images)],
  ];
  const table = (titles: readonly string[], rows: string[][]): void => {
    output.out(tableText([...titles.map((title) => ({ title })), ...NUMBERS], rows, output.color));
  };
  if (by === 'template')
    table(
      ['template', 'what'],
      templates.flatMap((row) => both([row.template === '' ? '(none)' : row.template], row)),
    );
  else if (by === 'link')
    table(
      ['template', 'link', 'words'],
      links.map((row) => [row.template === '' ? '(none)' : row.template, String(row.index), row.label, ...cells(row)]),
    );
  else if (by === 'hour')
    table(
      ['hours after sending', 'what'],
      hours.flatMap((row) => both([String(row.hour)], row)),
    );
  else table(['time', 'what'], [...both([`these ${back} days`], total), ...both(['the days before'], before)]);
  if (templates.length === 0 && by === undefined) output.note('Nothing is noted unless a topic of mail.yaml has "tracking".');
  return 0;
}
