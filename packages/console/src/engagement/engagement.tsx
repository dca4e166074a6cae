import type { EngagementSums, EngagementView } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { Note } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { Numbers, Part, Sideways, Tile, Tiles } from '../parts/numbers.js';
import { useSession } from '../session.js';

const COLUMNS: readonly (readonly [keyof EngagementSums, string])[] = [
  ['people', 'People'],
  ['unique', 'First time'],
  ['machines', 'Machines'],
  ['unknown', 'Not known'],
];

interface Line extends EngagementSums {
  readonly key: string;
  readonly name: string;
  /** What it belongs to. */
  readonly about?: string;
}

function Lines({ title, name, lines }: { readonly title: string; readonly name: string; readonly lines: readonly Line[] }) {
  return (
    <Sideways role="region" aria-label={title} tabIndex={0}>
      <Numbers aria-label={title}>
        <TableHeader>
          <Column isRowHeader>{name}</Column>
          {COLUMNS.map(([column, words]) => (
            <Column key={column}>{words}</Column>
          ))}
        </TableHeader>
        <TableBody>
          {lines.map((line) => (
            <Row key={line.key} id={line.key}>
              <Cell>
                {line.name}
                {line.about !== undefined && (
                  <>
                    <br />
                    <Small>{line.about}</Small>
                  </>
                )}
              </Cell>
              {COLUMNS.map(([column]) => (
                <Cell key={column}>{line[column].toLocaleString('en')}</Cell>
              ))}
            </Row>
          ))}
        </TableBody>
      </Numbers>
    </Sideways>
  );
}

function linksOf({ links }: EngagementView): Line[] {
  return links.slice(0, 20).map((line) => ({
    ...line,
    key: `${line.template}/${line.index}/${line.label}`,
    name: line.label === '' ? `Link ${line.index}` : line.label,
    about: `link ${line.index} of ${line.template === '' ? 'emails without a template' : line.template}`,
  }));
}

/** Hours after sending, together where they are many. */
const SPANS: readonly (readonly [from: number, to: number, words: string])[] = [
  [0, 1, 'Within the first hour'],
  [1, 3, '1 to 3 hours'],
  [3, 6, '3 to 6 hours'],
  [6, 12, '6 to 12 hours'],
  [12, 24, '12 to 24 hours'],
  [24, 72, '1 to 3 days'],
  [72, Number.POSITIVE_INFINITY, 'Later'],
];

function hoursOf({ hours }: EngagementView): Line[] {
  return SPANS.map(([from, to, words]) => {
    const of = hours.filter(({ hour }) => hour >= from && hour < to);
    const sum = (column: keyof EngagementSums): number => of.reduce((all, { links }) => all + links[column], 0);
    return { key: words, name: words, people: sum('people'), unique: sum('unique'), machines: sum('machines'), unknown: sum('unknown') };
  });
}

/** What people did with the email that they got, with machines beside them. */
export function Engagement({ from, to }: { readonly from: string; readonly to: string }) {
  const { client, space } = useSession();
  const { data } = useQuery({
    queryKey: ['engagement', space.name, from, to],
    queryFn: () => client.engagement.get({ from, to }),
    refetchInterval: 10_000,
  });
  if (data === undefined || data.templates.length === 0) return null;
  const { total, before } = data;
  const number = (n: number): string => n.toLocaleString('en');
  return (
    <Part aria-labelledby="engagement">
      <h2 id="engagement">What people did with it</h2>
      <Tiles aria-label="Engagement of the period">
        <Tile title="Links followed" value={number(total.links.people)} before={number(before.links.people)} />
        <Tile title="… by machines" value={number(total.links.machines)} before={number(before.links.machines)} />
        <Tile title="Images loaded" value={number(total.images.people)} before={number(before.images.people)} />
        <Tile title="… by machines" value={number(total.images.machines)} before={number(before.images.machines)} />
      </Tiles>
      <Lines title="By link" name="Link" lines={linksOf(data)} />
      <Lines title="Links followed, by time after sending" name="After sending" lines={hoursOf(data)} />
      <Note>Of topics with tracking in mail.yaml. “First time” counts each email or link once, where it may be known who followed it.</Note>
    </Part>
  );
}
