import type { BulkSummary } from '@verbalis/client';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { Empty, Fault, StateText, When } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { Head, SendTabs, Sheet } from '../parts/list.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { BULK_STATES } from './words.js';

const REFRESH_MS = 2000;

const CSV: readonly CsvColumn<BulkSummary>[] = [
  ['id', ({ id }) => id],
  ['name', ({ name }) => name],
  ['template', ({ template }) => template],
  ['state', ({ state }) => state],
  ['read', ({ read }) => read],
  ['accepted', ({ accepted }) => accepted],
  ['refused', ({ refused }) => refused],
  ['createdAt', ({ createdAt }) => createdAt],
  ['endedAt', ({ endedAt }) => endedAt],
];

/** One template to many recipients: those under way and those of before. */
export function BulkSends() {
  const { client, space } = useSession();
  const pages = usePages({
    key: ['bulk-sends', space.name],
    read: (page) => client.bulkSends.list(page),
    rowsOf: (page) => page.bulkSends,
    refreshMs: REFRESH_MS,
  });
  const { rows } = pages;
  return (
    <>
      <SendTabs />
      <Head>
        <h1>Bulk sends</h1>
        {rows.length > 0 && <SaveCsv name="bulk-sends" columns={CSV} all={pages.all} />}
      </Head>
      {pages.error !== null && <Fault error={pages.error} />}
      {pages.isSuccess && rows.length === 0 && (
        <Empty
          title="No bulk send yet"
          command="verbalis bulk-sends start pier-bulletin --file recipients.csv --data bulletin.json --first 10 --wait"
        >
          One template to many recipients, from a file or from an address of your app. Each recipient is checked and gets one message.
        </Empty>
      )}
      {rows.length > 0 && (
        <Sheet aria-label="Bulk sends">
          <TableHeader>
            <Column isRowHeader>Name</Column>
            <Column isRowHeader>State</Column>
            <Column>Read</Column>
            <Column>Accepted</Column>
            <Column>Refused</Column>
            <Column>Begun</Column>
          </TableHeader>
          <TableBody>
            {rows.map(({ id, name, template, state, read, accepted, refused, createdAt, problem }) => (
              <Row key={id} id={id} href={`/send/bulk-sends/${id}`}>
                <Cell>
                  {name}
                  {name !== template && <Small> {template}</Small>}
                </Cell>
                <Cell>
                  <StateText $color={BULK_STATES[state].color} data-sign={BULK_STATES[state].sign}>
                    {state}
                  </StateText>
                  {problem !== undefined && (
                    <>
                      <br />
                      <Small>{problem}</Small>
                    </>
                  )}
                </Cell>
                <Cell data-name="Read">{read.toLocaleString('en')}</Cell>
                <Cell data-name="Accepted">{accepted.toLocaleString('en')}</Cell>
                <Cell data-name="Refused">{refused.toLocaleString('en')}</Cell>
                <Cell>
                  <When at={createdAt} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={pages}>Older bulk sends</Older>
    </>
  );
}
