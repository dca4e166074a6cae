import type { CountsView, FiguresView, FiguresFilter } from '@verbalis/client';
import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Empty, Fault, StateWord } from '../parts/basics.js';
import { StateBars, timeWords } from '../parts/chart.js';
import { Choose } from '../parts/choose.js';
import { Engagement } from '../engagement/engagement.js';
import { Head, TrackTabs } from '../parts/list.js';
import { Numbers, Part, rate, Sideways, Tile, Tiles } from '../parts/numbers.js';
import { Toggle } from '../parts/switches.js';
import { useSession } from '../session.js';
import { durationText, STATES } from '../words.js';

const Bar = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: end;
`;

const PERIODS = [
  ['1', 'the last day'],
  ['7', 'the last 7 days'],
  ['21', 'the last 21 days'],
  ['90', 'the last 90 days'],
] as const;
const BYS = [
  ['template', 'template'],
  ['topic', 'topic'],
  ['provider', 'provider'],
  ['domain', 'recipients’ domain'],
  ['cause', 'cause'],
] as const;
const DAY = 86_400_000;
const HOUR = 3_600_000;
const COLUMNS = ['delivered', 'accepted', 'delayed', 'failed', 'complained', 'withheld'] as const;

/** How much email in the name of the space's domains was authentic, as receivers report it. */
function Alignment({ days }: { readonly days: number }) {
  const { client, space } = useSession();
  const { data } = useQuery({
    queryKey: ['alignment', space.name, days],
    queryFn: async () => (await client.domainReports.alignment({ days })).domains,
  });
  const reported = (data ?? []).filter(({ count }) => count > 0);
  if (reported.length === 0) return null;
  return (
    <Part aria-labelledby="alignment">
      <h2 id="alignment">Authentic, as receivers report it</h2>
      <Sideways>
        <Numbers aria-label="Authentic email by domain">
          <TableHeader>
            <Column isRowHeader>Domain</Column>
            <Column>Reported</Column>
            <Column>Authentic</Column>
            <Column>Other senders</Column>
          </TableHeader>
          <TableBody>
            {reported.map(({ domain, count, aligned, sources }) => (
              <Row key={domain} id={domain} href={`/set-up/domains/${domain}`}>
                <Cell>{domain}</Cell>
                <Cell>{count.toLocaleString('en')}</Cell>
                <Cell>{rate(aligned, count)}</Cell>
                <Cell>{sources}</Cell>
              </Row>
            ))}
          </TableBody>
        </Numbers>
      </Sideways>
    </Part>
  );
}

/** What mailbox providers ask for: fewer than one complaint among a thousand emails, and never three. */
const [WATCHED, TOLERATED] = [0.001, 0.003];
/** Below these a single complaint decides, and says little. */
const [FEW_EMAILS, FEW_COMPLAINTS] = [1000, 3];
/** Domains with fewer emails and no complaint are left out. */
const SHOWN = 10;

function againstLimits(complained: number, taken: number): string {
  const share = complained / taken;
  if (share < WATCHED) return 'Below both';
  if (taken < FEW_EMAILS && complained < FEW_COMPLAINTS) return 'Too few emails to judge';
  return share < TOLERATED ? 'Above 0.1%: find out why' : 'Above 0.3%: providers reject such senders';
}

/** Complaints among what a domain's mailboxes took, against what their providers tolerate. */
function Complaints({ from, to }: { readonly from: string; readonly to: string }) {
  const { client, space } = useSession();
  const { data } = useQuery({
    queryKey: ['complaints', space.name, from, to],
    queryFn: () => client.figures.get({ from, to, by: 'domain' }),
    refetchInterval: 10_000,
  });
  const rows = (data?.by ?? [])
    .map(({ value, counts: { states } }) => {
      const complained = states['complained'] ?? 0;
      return { value, complained, taken: complained + (states['delivered'] ?? 0) + (states['accepted'] ?? 0) };
    })
    .filter(({ taken, complained }) => taken >= SHOWN || complained > 0);
  if (rows.length === 0) return null;
  return (
    <Part aria-labelledby="complaints">
      <h2 id="complaints">Complaints, by recipients’ domain</h2>
      <Sideways role="region" aria-label="Table of complaints" tabIndex={0}>
        <Numbers aria-label="Complaints by domain">
          <TableHeader>
            <Column isRowHeader>Domain</Column>
            <Column>Accepted there</Column>
            <Column>Complaints</Column>
            <Column>Rate</Column>
            <Column>Limits 0.1% and 0.3%</Column>
          </TableHeader>
          <TableBody>
            {rows.map(({ value, taken, complained }) => (
              <Row key={value} id={value}>
                <Cell>{value}</Cell>
                <Cell>{taken.toLocaleString('en')}</Cell>
                <Cell>{complained}</Cell>
                <Cell>{((100 * complained) / taken).toFixed(2)}%</Cell>
                <Cell>{againstLimits(complained, taken)}</Cell>
              </Row>
            ))}
          </TableBody>
        </Numbers>
      </Sideways>
    </Part>
  );
}

function Totals({ total, before }: { readonly total: CountsView; readonly before: CountsView }) {
  const part = (counts: CountsView, state: string): string => rate(counts.states[state] ?? 0, counts.created);
  return (
    <Tiles aria-label="Figures of the period">
      <Tile title="Deliveries" value={total.created.toLocaleString('en')} before={before.created.toLocaleString('en')} />
      <Tile title="Delivered" value={part(total, 'delivered')} before={part(before, 'delivered')} />
      <Tile title="Failed" value={part(total, 'failed')} before={part(before, 'failed')} />
      <Tile title="Complained" value={part(total, 'complained')} before={part(before, 'complained')} />
      <Tile
        title="Time to acceptance (median)"
        value={durationText(total.toAccepted.median)}
        before={durationText(before.toAccepted.median)}
      />
      <Tile title="Time to acceptance (p95)" value={durationText(total.toAccepted.p95)} before={durationText(before.toAccepted.p95)} />
      <Tile
        title="Time to delivery (median)"
        value={durationText(total.toDelivered.median)}
        before={durationText(before.toDelivered.median)}
      />
    </Tiles>
  );
}

function SeriesTable({ series, grain }: Pick<FiguresView, 'series' | 'grain'>) {
  return (
    <Sideways role="region" aria-label="Table of the figures" tabIndex={0}>
      <Numbers aria-label="The same as a table">
        <TableHeader>
          <Column isRowHeader>{grain}</Column>
          {COLUMNS.map((column) => (
            <Column key={column}>{column}</Column>
          ))}
        </TableHeader>
        <TableBody>
          {series.map((sery) => (
            <Row key={sery.at} id={sery.at}>
              <Cell>{timeWords(sery.at, grain)}</Cell>
              {COLUMNS.map((state) => (
                <Cell key={state}>{sery.states[state] ?? 0}</Cell>
              ))}
            </Row>
          ))}
        </TableBody>
      </Numbers>
    </Sideways>
  );
}

/** How many, the outcome, how long it took; this period against the one before. */
export function Figures() {
  const { client, space } = useSession();
  const [params, setParams] = useSearchParams();
  const days = PERIODS.find(([id]) => id === params.get('days'))?.[0] ?? '21';
  const by = BYS.find(([id]) => id === params.get('by'))?.[0] ?? 'template';
  const asTable = params.get('table') === 'yes';
  const set = (name: string, value: string | undefined): void => {
    const next = new URLSearchParams(params);
    if (value === undefined) next.delete(name);
    else next.set(name, value);
    setParams(next, { replace: true });
  };
  // Whole hours, so that the same question is the same for a while.
  const to = Math.ceil(Date.now() / HOUR) * HOUR;
  const wanted: FiguresFilter = { from: new Date(to - Number(days) * DAY).toISOString(), to: new Date(to).toISOString(), by };
  const { data, error } = useQuery({
    queryKey: ['figures', space.name, wanted],
    queryFn: () => client.figures.get(wanted),
    refetchInterval: 10_000,
  });
  const csv = `/v1/figures/csv?${new URLSearchParams({ ...wanted, space: space.name }).toString()}`;
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Figures</h1>
        <Choose label="Period" value={days} options={PERIODS} onChange={(value) => set('days', value)} />
        <Toggle on={asTable} onChange={(on) => set('table', on ? 'yes' : undefined)}>
          As a table
        </Toggle>
      </Head>
      {error !== null && <Fault error={error} />}
      {data?.total.created === 0 && (
        <Empty title="Nothing was sent in this time" command="verbalis figures --days 90">
          Deliveries are counted by when they were asked for, in the state that they are in now; what comes late corrects the counts.
        </Empty>
      )}
      {data !== undefined && data.total.created > 0 && (
        <>
          <Totals total={data.total} before={data.before} />
          {asTable ? (
            <SeriesTable {...data} />
          ) : (
            <StateBars series={data.series} grain={data.grain} title={`Deliveries by the ${data.grain}, and how they ended`} />
          )}
          <Part aria-label="By what they are">
            <Bar>
              <Choose label="By" value={by} options={BYS} onChange={(value) => set('by', value)} />
              <a href={csv} download="figures.csv">
                Save as CSV
              </a>
            </Bar>
            <Sideways role="region" aria-label={`Table by ${by}`} tabIndex={0}>
              <Numbers aria-label={`By ${by}`}>
                <TableHeader>
                  <Column isRowHeader>{by}</Column>
                  <Column>deliveries</Column>
                  {COLUMNS.map((column) => (
                    <Column key={column}>{column}</Column>
                  ))}
                  <Column>Time to acceptance</Column>
                  <Column>arrived within</Column>
                </TableHeader>
                <TableBody>
                  {(data.by ?? []).map(({ value, counts }) => (
                    <Row key={value} id={value}>
                      <Cell>{value === '' ? '(none)' : value}</Cell>
                      <Cell>{counts.created}</Cell>
                      {COLUMNS.map((state) => (
                        <Cell key={state}>{rate(counts.states[state] ?? 0, counts.created)}</Cell>
                      ))}
                      <Cell>{durationText(counts.toAccepted.median)}</Cell>
                      <Cell>{durationText(counts.toDelivered.median)}</Cell>
                    </Row>
                  ))}
                </TableBody>
              </Numbers>
            </Sideways>
          </Part>
          <Engagement from={wanted.from ?? ''} to={wanted.to ?? ''} />
          <Complaints from={wanted.from ?? ''} to={wanted.to ?? ''} />
          <Alignment days={Number(days)} />
          <p>
            <br />
            {(['delivered', 'failed'] as const).map((state) => (
              <span key={state}>
                <StateWord state={state} /> {STATES[state].means}.{' '}
              </span>
            ))}
          </p>
        </>
      )}
    </>
  );
}
