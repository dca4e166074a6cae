import type { Client, CloudEvent } from '@verbalis/client';
import { useEffect, useRef, useState } from 'react';
import { Input, Label } from 'react-aria-components';
import { Link, useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono } from '../parts/basics.js';
import { Head, Search, TrackTabs } from '../parts/list.js';
import { useFollow } from '../parts/follow.js';
import { wholeList } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { clockTime } from '../words.js';

const MOST = 200;

const Feed = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 16px;
    padding: 8px 0;
    border-bottom: 1px solid ${color.hair};
    align-items: baseline;
  }
  time {
    color: ${color.soft};
  }
  small {
    color: ${color.soft};
    font-size: 15px;
    flex-basis: 100%;
    overflow-wrap: anywhere;
  }
`;

const Kind = styled.strong<{ readonly $color: string }>`
  color: ${({ $color }) => $color};
`;

const HUES: readonly (readonly [RegExp, string, string])[] = [
  [/failed|complained|firing/, '✕', color.bad],
  [/delivered|accepted|resolved/, '●', color.good],
  [/delayed|withheld|expired/, '~', color.wait],
];

function text(event: CloudEvent, name: string): string {
  const value = event.data[name];
  return typeof value === 'string' ? value : '';
}

const CSV: readonly CsvColumn<CloudEvent>[] = [
  ['id', ({ id }) => id],
  ['type', ({ type }) => type],
  ['time', ({ time }) => time],
  ...['messageId', 'deliveryId', 'address', 'cause', 'reference', 'diagnostic', 'text'].map((name): CsvColumn<CloudEvent> => [
    name,
    (event) => text(event, name),
  ]),
];

/** One event in a line. */
function EventLine({ event }: { readonly event: CloudEvent }) {
  const kind = event.type.replace(/^verbalis\.(?:delivery\.)?/, '');
  const [, sign = '·', hue = color.mark] = HUES.find(([fits]) => fits.test(kind)) ?? [];
  const said = text(event, 'diagnostic') || text(event, 'text');
  const id = text(event, 'messageId');
  return (
    <li>
      <time dateTime={event.time}>{clockTime(event.time)}</time>
      <Kind $color={hue}>
        {sign} {kind}
      </Kind>
      {id === '' ? null : (
        <Link to={`/track/messages/${id}`}>
          <Mono>{text(event, 'address')}</Mono>
        </Link>
      )}
      <span>{text(event, 'cause')}</span>
      <span>{text(event, 'reference')}</span>
      {said !== '' && <small>{said}</small>}
    </li>
  );
}

/** Events that are shown at first, and pages that are read for them at most: with a filter they may be short. */
const [FIRST, MOST_PAGES] = [30, 20];

async function newest(client: Client, filter: { readonly filter?: string }): Promise<CloudEvent[]> {
  const found: CloudEvent[] = [];
  let cursor: string | undefined;
  for (let pages = 0; pages < MOST_PAGES && found.length < FIRST; pages += 1) {
    const page = await client.events.list({ ...filter, limit: FIRST, ...(cursor === undefined ? {} : { cursor }) });
    found.push(...page.events);
    cursor = page.nextCursor;
    if (cursor === undefined) break;
  }
  return found.slice(0, FIRST);
}

/** What becomes known, as it does. */
export function Live() {
  const { client, space } = useSession();
  const [params, setParams] = useSearchParams();
  const filter = params.get('filter') ?? '';
  const [events, setEvents] = useState<readonly CloudEvent[]>([]);
  const [paused, setPaused] = useState(false);
  const held = useRef<CloudEvent[]>([]);
  const isPaused = useRef(false);
  isPaused.current = paused;
  const [waiting, setWaiting] = useState(0);
  const wanted = filter === '' ? {} : { filter };
  const { connection, refusal } = useFollow(
    (options) => client.events.follow(wanted, options),
    {
      take: (event) => {
        if (isPaused.current) {
          held.current = [event, ...held.current].slice(0, MOST);
          setWaiting(held.current.length);
        } else setEvents((list) => [event, ...list.filter(({ id }) => id !== event.id)].slice(0, MOST));
      },
      began: () => {
        held.current = [];
        newest(client, wanted).then(
          (before) => {
            const known = new Set(before.map(({ id }) => id));
            setEvents((list) => [...before, ...list.filter(({ id }) => !known.has(id))].slice(0, MOST));
          },
          // The stream says what is wrong.
          () => undefined,
        );
      },
    },
    [client, space.name, filter],
  );
  useEffect(() => {
    setEvents([]);
  }, [space.name, filter]);
  /** All that became known and passes, the newest first. */
  const all = () =>
    wholeList(
      (page) => client.events.list({ ...(filter === '' ? {} : { filter }), ...page }),
      (page) => page.events,
    );
  const goOn = (): void => {
    setEvents((list) => [...held.current, ...list].slice(0, MOST));
    held.current = [];
    setWaiting(0);
    setPaused(false);
  };
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Live</h1>
        <Search
          key={filter}
          defaultValue={filter}
          onSubmit={(words) => setParams(words.trim() === '' ? {} : { filter: words.trim() }, { replace: true })}
          onClear={() => setParams({}, { replace: true })}
        >
          <Label>Filter</Label>
          <Input placeholder="type in [failed, complained]" />
        </Search>
        <Button $quiet onPress={paused ? goOn : () => setPaused(true)}>
          {paused ? `Go on (${waiting} more)` : 'Pause'}
        </Button>
        {events.length > 0 && <SaveCsv name="events" columns={CSV} all={all} />}
      </Head>
      {refusal !== undefined && <Fault error={refusal} />}
      {connection === 'lost' && refusal === undefined && (
        <p role="status">△ The service does not answer; the page keeps trying. Events of the meantime are shown when it does.</p>
      )}
      {events.length === 0 && refusal === undefined && connection !== 'lost' && (
        <Empty title="No events yet" command="verbalis messages follow">
          Each fact about a delivery appears here as soon as it is known, with the reply of the other side.
        </Empty>
      )}
      <Feed aria-label="Events" aria-live={paused ? 'off' : 'polite'}>
        {events.map((event) => (
          <EventLine key={event.id} event={event} />
        ))}
      </Feed>
    </>
  );
}
