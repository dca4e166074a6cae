import type { InboundSummary } from '@verbalis/client';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Empty, Fault, Mono, When } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { Head, Sheet, TrackTabs } from '../parts/list.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';

const REFRESH_MS = 4000;

const Subject = styled.span.attrs({ dir: 'auto' })`
  overflow-wrap: anywhere;
  display: block;
  font-family: ${font.serif};
`;
const Start = styled.span`
  display: block;
  color: ${color.soft};
  font-size: 14px;
  max-width: 56ch;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  /* A line of its own ends where the screen does. */
  @media (max-width: 899px) {
    white-space: normal;
    overflow-wrap: anywhere;
    display: -webkit-box;
    -webkit-box-orient: vertical;
    -webkit-line-clamp: 2;
  }
`;
const Careful = styled.span`
  color: ${color.wait};
  font-weight: 600;
  white-space: nowrap;
`;

const CSV: readonly CsvColumn<InboundSummary>[] = [
  ['id', ({ id }) => id],
  ['from', ({ from }) => from.address],
  ['inbox', ({ inbox }) => inbox],
  ['subject', ({ subject }) => subject],
  ['messageId', ({ messageId }) => messageId],
  ['attachments', ({ attachments }) => attachments],
  ['receivedAt', ({ receivedAt }) => receivedAt],
];

/** What the signs of a row say. */
function signsOf({ state, suspicious, attachments }: InboundSummary): string[] {
  return [
    ...(state === 'arrived' ? ['being read'] : state === 'unread' ? ['! cannot be read'] : []),
    ...(suspicious > 0 ? ['! suspicious'] : []),
    ...(attachments > 0 ? [`${attachments} ${attachments === 1 ? 'file' : 'files'}`] : []),
  ];
}

/** What people have written, newest first. */
export function Inbound() {
  const { client, space } = useSession();
  const [params, setParams] = useSearchParams();
  const inbox = params.get('inbox') ?? '';
  const message = params.get('message') ?? '';
  const filter = { ...(inbox === '' ? {} : { inbox }), ...(message === '' ? {} : { message }) };
  const pages = usePages({
    key: ['inbound', space.name, filter],
    read: (page) => client.inbound.list({ ...filter, ...page }),
    rowsOf: (page) => page.inbound,
    refreshMs: REFRESH_MS,
  });
  const { rows } = pages;
  const inboxes = [...new Set(['reply', ...rows.map((row) => row.inbox), ...(inbox === '' ? [] : [inbox])])];
  const isFiltered = inbox !== '' || message !== '';
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Inbound mail</h1>
        <Choose
          label="Inbox"
          value={inbox}
          options={[['', 'all'], ...inboxes.map((name) => [name, name === 'reply' ? 'answers to messages' : name] as const)]}
          onChange={(value) => setParams(value === '' ? {} : { inbox: value }, { replace: true })}
        />
        {rows.length > 0 && <SaveCsv name="inbound" columns={CSV} all={pages.all} />}
      </Head>
      {pages.error !== null && <Fault error={pages.error} />}
      {pages.isSuccess && rows.length === 0 && (
        <Empty
          title={isFiltered ? 'No inbound mail fits' : 'No emails yet'}
          command={'topics:\n  bookings:\n    purpose: essential\n    replies: true'}
        >
          Answers to messages come here when their topic has replies: true in mail.yaml, and email to the addresses that inbound.addresses
          of the configuration lists.
        </Empty>
      )}
      {rows.length > 0 && (
        <Sheet aria-label="Inbound mail">
          <TableHeader>
            <Column isRowHeader>From</Column>
            <Column isRowHeader>Subject</Column>
            <Column>Inbox</Column>
            <Column>Signs</Column>
            <Column>Received</Column>
          </TableHeader>
          <TableBody>
            {rows.map((row) => (
              <Row key={row.id} id={row.id} href={`/track/inbound/${row.id}`}>
                <Cell>{row.from.name === '' ? <Mono>{row.from.address || '(nobody)'}</Mono> : row.from.name}</Cell>
                <Cell>
                  <Subject>{row.subject === '' ? '(no subject)' : row.subject}</Subject>
                  <Start>{row.start}</Start>
                </Cell>
                <Cell>{row.inbox}</Cell>
                <Cell>
                  {signsOf(row).map((sign) =>
                    sign.startsWith('!') ? <Careful key={sign}>{sign} </Careful> : <span key={sign}>{sign} </span>,
                  )}
                </Cell>
                <Cell>
                  <When at={row.receivedAt} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={pages}>Older mail</Older>
    </>
  );
}
