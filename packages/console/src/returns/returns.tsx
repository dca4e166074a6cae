import type { ReturnView } from '@verbalis/client';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Empty, Fault, Mono, When } from '../parts/basics.js';
import { Filter, Filters, Head, Sheet, TrackTabs } from '../parts/list.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const REFRESH_MS = 4000;
const KINDS: readonly (readonly [ReturnView['kind'] | 'unmatched', string])[] = [
  ['unmatched', 'unmatched'],
  ['delivery-status', 'delivery reports'],
  ['complaint', 'complaints'],
  ['auto-reply', 'automatic replies'],
  ['feedback', 'other feedback'],
  ['read-receipt', 'receipts'],
  ['other', 'other'],
];

const Open = styled.span`
  color: ${color.wait};
  font-weight: 600;
  white-space: nowrap;
`;

/** What a return says, in a few words. */
function gist(report: ReturnView): string {
  if (report.feedbackType !== undefined) return `feedback: ${report.feedbackType}`;
  const [first] = report.recipients;
  if (first === undefined) return report.problem ?? report.subject ?? '';
  const why = first.action === 'failed' || first.action === 'delayed' ? `, ${first.cause}` : '';
  return `${first.action}${why}${report.recipients.length > 1 ? ` and ${report.recipients.length - 1} more` : ''}`;
}

const CSV: readonly CsvColumn<ReturnView>[] = [
  ['id', ({ id }) => id],
  ['about', ({ recipients, from, provider }) => recipients[0]?.address ?? from ?? provider],
  ['kind', ({ kind }) => kind],
  ['says', gist],
  ['deliveryId', ({ deliveryId }) => deliveryId],
  ['receivedAt', ({ receivedAt }) => receivedAt],
];

/** What came back, newest first. */
export function Returns() {
  const { client, space } = useSession();
  const [params, setParams] = useSearchParams();
  const shown = KINDS.find(([one]) => one === params.get('show'))?.[0];
  const filter = shown === undefined ? {} : shown === 'unmatched' ? { matched: 'no' as const } : { kind: shown };
  const pages = usePages({
    key: ['returns', space.name, filter],
    read: (page) => client.returns.list({ ...filter, ...page }),
    rowsOf: (page) => page.returns,
    refreshMs: REFRESH_MS,
  });
  const { rows } = pages;
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Returns</h1>
        <Filters
          aria-label="Kind"
          selectionMode="single"
          selectedKeys={shown === undefined ? [] : [shown]}
          onSelectionChange={(keys) => setParams([...keys].length === 0 ? {} : { show: String([...keys][0]) }, { replace: true })}
        >
          {KINDS.map(([one, words]) => (
            <Filter key={one} id={one}>
              {words}
            </Filter>
          ))}
        </Filters>
        {rows.length > 0 && <SaveCsv name="returns" columns={CSV} all={pages.all} />}
      </Head>
      {pages.error !== null && <Fault error={pages.error} />}
      {pages.isSuccess && rows.length === 0 && (
        <Empty title={shown === undefined ? 'Nothing has come back' : 'No return fits'} command="verbalis returns add bounces.mbox">
          Delivery reports, complaints and callbacks appear here, each with its content and its delivery. Returns that could not be matched
          are kept and can be matched by hand. Add returns that came to another mailbox:
        </Empty>
      )}
      {rows.length > 0 && (
        <Sheet aria-label="Returns">
          <TableHeader>
            <Column isRowHeader>About</Column>
            <Column isRowHeader>Kind</Column>
            <Column>Says</Column>
            <Column isRowHeader>Delivery</Column>
            <Column>Received</Column>
          </TableHeader>
          <TableBody>
            {rows.map((row) => (
              <Row key={row.id} id={row.id} href={`/track/returns/${row.id}`}>
                <Cell>
                  <Mono>{row.recipients[0]?.address ?? row.from ?? row.provider ?? '(nobody)'}</Mono>
                </Cell>
                <Cell>{row.kind}</Cell>
                <Cell>{gist(row)}</Cell>
                <Cell>{row.matched ? 'known' : <Open>? unmatched</Open>}</Cell>
                <Cell>
                  <When at={row.receivedAt} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={pages}>Older returns</Older>
    </>
  );
}
