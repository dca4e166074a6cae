import type { MessageList, MessageSummary, State } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Cell, Column, Input, Label, Row, TableBody, TableHeader } from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Empty, Fault, Mono, StateWord, When } from '../parts/basics.js';
import { Ribbon } from '../parts/chart.js';
import { Filter, Filters, Head, Search, Sheet, TrackTabs } from '../parts/list.js';
import { Attention } from '../parts/attention.js';
import { useTrackMatters } from '../parts/matters.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { STATES } from '../words.js';

const SHOWN: readonly State[] = ['queued', 'delayed', 'accepted', 'delivered', 'failed', 'complained', 'withheld', 'expired', 'canceled'];
const REFRESH_MS = 2000;

const Subject = styled.span.attrs({ dir: 'auto' })`
  overflow-wrap: anywhere;
  font-family: ${font.serif};
`;

const Cause = styled.span`
  color: ${color.soft};
  white-space: nowrap;
`;

interface Sent {
  readonly message: MessageSummary;
  readonly delivery: MessageSummary['deliveries'][number];
}

function rowsOf({ messages }: MessageList): Sent[] {
  return messages.flatMap((message) => message.deliveries.map((delivery) => ({ message, delivery })));
}

const CSV: readonly CsvColumn<Sent>[] = [
  ['messageId', ({ message }) => message.id],
  ['deliveryId', ({ delivery }) => delivery.id],
  ['to', ({ delivery }) => delivery.address],
  ['state', ({ delivery }) => delivery.state],
  ['cause', ({ delivery }) => delivery.cause],
  ['template', ({ message }) => message.template],
  ['subject', ({ message }) => message.subject],
  ['reference', ({ message }) => message.reference],
  ['createdAt', ({ message }) => message.createdAt],
];

const DAYS_SHOWN = 21;
const DAY_MS = 86_400_000;
/** A handle that is being moved asks for nothing yet. */
const SETTLED_MS = 250;

/** How many over the last weeks, with a span to choose that is in the address. */
function Weeks({
  from,
  to,
  onChoose,
}: {
  readonly from: string;
  readonly to: string;
  readonly onChoose: (from: string, to: string) => void;
}) {
  const { client, space } = useSession();
  const end = Math.ceil(Date.now() / DAY_MS) * DAY_MS;
  const { data } = useQuery({
    queryKey: ['figures', space.name, 'histogram', end],
    queryFn: () =>
      client.figures.get({ from: new Date(end - DAYS_SHOWN * DAY_MS).toISOString(), to: new Date(end).toISOString(), grain: 'day' }),
    refetchInterval: 10_000,
  });
  const series = data?.series ?? [];
  const last = Math.max(0, series.length - 1);
  const first = series.findIndex((sery) => sery.at >= from);
  const until = to === '' ? last : series.findIndex((sery) => sery.at >= to) - 1;
  const asked = [from === '' || first === -1 ? 0 : first, until < 0 ? last : until] as const;
  const [moving, setMoving] = useState<readonly [number, number]>();
  useEffect(() => {
    if (moving === undefined) return;
    const timer = setTimeout(() => {
      const [a, b] = moving;
      onChoose(a === 0 ? '' : (series[a]?.at ?? ''), b === last ? '' : (series[b + 1]?.at ?? ''));
      setMoving(undefined);
    }, SETTLED_MS);
    return () => clearTimeout(timer);
    // The handles alone say when it is settled.
  }, [moving]);
  if (data === undefined || data.total.created === 0) return null;
  return <Ribbon series={series} grain="day" title="Deliveries by day, and how they ended" chosen={moving ?? asked} onChoose={setMoving} />;
}

/** All messages of the space, newest first, kept current. */
export function Messages() {
  const { client, space } = useSession();
  const [params, setParams] = useSearchParams();
  const state = (params.get('state') ?? undefined) as State | undefined;
  const find = params.get('find') ?? '';
  const from = params.get('from') ?? '';
  const to = params.get('to') ?? '';
  const filter = { state, from, to, ...(find === '' ? {} : find.includes('@') ? { address: find } : { reference: find }) };
  const pages = usePages({
    key: ['messages', space.name, filter],
    read: (page) => client.messages.list({ ...filter, ...page }),
    rowsOf: rowsOf,
    refreshMs: REFRESH_MS,
  });
  const change = (name: string, value: string | undefined): void => {
    const next = new URLSearchParams(params);
    if (value === undefined || value === '') next.delete(name);
    else next.set(name, value);
    setParams(next, { replace: true });
  };
  const matters = useTrackMatters();
  const { rows } = pages;
  const filtered = state !== undefined || find !== '' || from !== '' || to !== '';
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Messages</h1>
        <Search key={find} defaultValue={find} onSubmit={(text) => change('find', text.trim())} onClear={() => change('find', undefined)}>
          <Label>Address or reference</Label>
          <Input placeholder="asa@post.example, SM-1042" />
        </Search>
        <Filters
          aria-label="State"
          selectionMode="single"
          selectedKeys={state === undefined ? [] : [state]}
          onSelectionChange={(keys) => change('state', [...keys].map(String)[0])}
        >
          {SHOWN.map((state) => (
            <Filter key={state} id={state} aria-label={`${state}: ${STATES[state].means}`}>
              {state}
            </Filter>
          ))}
        </Filters>
        {rows.length > 0 && <SaveCsv name="deliveries" columns={CSV} all={pages.all} />}
      </Head>
      {!filtered && <Attention matters={matters} />}
      <Weeks
        from={from}
        to={to}
        onChoose={(first, last) => {
          const next = new URLSearchParams(params);
          for (const [name, value] of [
            ['from', first],
            ['to', last],
          ] as const) {
            if (value === '') next.delete(name);
            else next.set(name, value);
          }
          setParams(next, { replace: true });
        }}
      />
      {pages.error !== null && <Fault error={pages.error} />}
      {pages.isSuccess && rows.length === 0 && !filtered && (
        <Empty
          title="Nothing has been sent here yet"
          command={"verbalis send booking-confirmed --to 'Ása <asa@post.example>' --data booking.json"}
        >
          Each message that an app sends appears here, with the state of every delivery.
        </Empty>
      )}
      {pages.isSuccess && rows.length === 0 && filtered && (
        <Empty title="No message fits" command="verbalis messages list">
          Whole addresses and references are looked for; “Find” also knows their beginnings, domains and subjects. Remove a filter to see
          more.
        </Empty>
      )}
      {rows.length > 0 && (
        <Sheet aria-label="Messages">
          <TableHeader>
            <Column isRowHeader>To</Column>
            <Column isRowHeader>State</Column>
            <Column isRowHeader>Subject</Column>
            <Column>Reference</Column>
            <Column>Created</Column>
          </TableHeader>
          <TableBody>
            {rows.map(({ message, delivery }) => (
              <Row key={delivery.id} id={delivery.id} href={`/track/messages/${message.id}`}>
                <Cell>
                  <Mono>{delivery.address}</Mono>
                </Cell>
                <Cell>
                  <StateWord state={delivery.state} /> {delivery.cause !== undefined && <Cause>{delivery.cause}</Cause>}
                </Cell>
                <Cell>
                  <Subject>{message.subject}</Subject>
                </Cell>
                <Cell>
                  <Mono>{message.reference}</Mono>
                </Cell>
                <Cell>
                  <When at={message.createdAt} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={pages}>Older messages</Older>
    </>
  );
}
