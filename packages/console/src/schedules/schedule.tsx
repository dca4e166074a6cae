import type { ScheduleView } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { Link, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Fault, Mono, StateText } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Small } from '../parts/form.js';
import { SendTabs, Sheet } from '../parts/list.js';
import { Older, usePages } from '../parts/pages.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { RUN_STATES, SCHEDULE_STATES, ZoneTime, zoneTime } from './words.js';

const REFRESH_MS = 3000;
/** Recipients of a test run. */
const FIRST = 3;

const Line = styled.p`
  margin: 8px 0 16px;
  color: ${color.soft};
  overflow-wrap: anywhere;
`;
const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-bottom: 32px;
`;
const Part = styled.section`
  margin-bottom: 32px;
  h2 {
    margin-bottom: 8px;
  }
`;
const Times = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  max-width: 520px;
  li {
    display: flex;
    gap: 16px;
    align-items: center;
    justify-content: space-between;
    min-height: 44px;
    border-bottom: 1px solid ${color.hair};
  }
`;

interface Change {
  readonly name: string;
  readonly refresh: () => Promise<unknown>;
}

/** The next times, each of which can be skipped, and not skipped after all. */
function Next({ schedule: { next, timeZone }, change: { name, refresh } }: { readonly schedule: ScheduleView; readonly change: Change }) {
  const { client } = useSession();
  const skip = useMutation({
    mutationFn: ({ at, skipped }: ScheduleView['next'][number]) => client.schedules[skipped ? 'unskip' : 'skip'](name, { at }),
    onSuccess: refresh,
  });
  if (next.length === 0) return null;
  return (
    <Part aria-label="Next times">
      <h2>Next times</h2>
      <Line>By the clock of {timeZone}.</Line>
      {skip.error !== null && <Fault error={skip.error} />}
      <Times>
        {next.map(({ at, skipped }) => (
          <li key={at}>
            <span>
              <ZoneTime at={at} timeZone={timeZone} /> {skipped && <Small>skipped</Small>}
            </span>
            <Button
              $quiet
              aria-label={`${skipped ? 'Do not skip' : 'Skip'} ${zoneTime(at, timeZone)}`}
              onPress={() => {
                skip.mutate({ at, skipped });
              }}
              isDisabled={skip.isPending}
            >
              {skipped ? 'Do not skip' : 'Skip'}
            </Button>
          </li>
        ))}
      </Times>
    </Part>
  );
}

/** What came of its times. */
function Runs({ name, timeZone }: { readonly name: string; readonly timeZone: string }) {
  const { client, space } = useSession();
  const pages = usePages({
    key: ['schedule-runs', space.name, name],
    read: (page) => client.schedules.runs(name, page),
    rowsOf: (page) => page.runs,
    refreshMs: REFRESH_MS,
  });
  return (
    <Part aria-label="Runs">
      <h2>Runs</h2>
      {pages.isSuccess && pages.rows.length === 0 && <Line>It has not run yet.</Line>}
      {pages.rows.length > 0 && (
        <Sheet aria-label="Runs">
          <TableHeader>
            <Column isRowHeader>Planned for</Column>
            <Column>Run</Column>
            <Column>Bulk send</Column>
          </TableHeader>
          <TableBody>
            {pages.rows.map(({ id, plannedAt, state, manual, why, bulkSend }) => (
              <Row key={id} id={id}>
                <Cell>
                  <ZoneTime at={plannedAt} timeZone={timeZone} />
                </Cell>
                <Cell data-name="Run">
                  <StateText $color={RUN_STATES[state].color} data-sign={RUN_STATES[state].sign}>
                    {state}
                  </StateText>
                  {(why !== undefined || manual) && (
                    <>
                      <br />
                      <Small>{why ?? 'out of turn'}</Small>
                    </>
                  )}
                </Cell>
                <Cell {...(bulkSend === undefined ? {} : { 'data-name': 'Bulk send' })}>
                  {bulkSend !== undefined && (
                    <Link to={`/send/bulk-sends/${bulkSend}`}>
                      <Mono>{bulkSend}</Mono>
                    </Link>
                  )}
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={pages}>Older runs</Older>
    </Part>
  );
}

/** One schedule: when it runs, what came of it, and what can be done about it. */
export function SchedulePage() {
  const { client, space } = useSession();
  const { name = '' } = useParams();
  const queries = useQueryClient();
  const key = ['schedule', space.name, name];
  const { data, error } = useQuery({ queryKey: key, queryFn: () => client.schedules.get(name), refetchInterval: REFRESH_MS });
  const refresh = async (): Promise<void> => {
    await queries.invalidateQueries({ queryKey: key });
    await queries.invalidateQueries({ queryKey: ['schedule-runs', space.name, name] });
  };
  const move = useMutation({ mutationFn: (action: 'pause' | 'resume') => client.schedules[action](name), onSuccess: refresh });
  const run = useMutation({ mutationFn: (first: number | undefined) => client.schedules.run(name, { first }), onSuccess: refresh });
  const fault = error ?? move.error ?? run.error;
  return (
    <>
      <SendTabs />
      <h1>{name}</h1>
      {fault !== null && <Fault error={fault} />}
      {data !== undefined && (
        <>
          <Line>
            <StateText $color={SCHEDULE_STATES[data.state].color} data-sign={SCHEDULE_STATES[data.state].sign}>
              {data.state}
            </StateText>
            : {SCHEDULE_STATES[data.state].means}. Template {data.template} to {data.from}
            {data.perMinute !== undefined && `, ${data.perMinute} a minute`}.<br />
            <Mono>{data.repeat ?? 'once'}</Mono> from {data.starts} in {data.timeZone}; a run that was missed is{' '}
            {data.missed === 'run' ? 'made up for once' : 'skipped'}.
          </Line>
          <Actions>
            {data.state === 'paused' ? (
              <Button onPress={() => move.mutate('resume')} isDisabled={move.isPending}>
                Resume
              </Button>
            ) : (
              <Button $quiet onPress={() => move.mutate('pause')} isDisabled={move.isPending}>
                Pause
              </Button>
            )}
            <Button $quiet onPress={() => run.mutate(FIRST)} isDisabled={run.isPending}>
              Test run: the first {FIRST}
            </Button>
            <Confirm
              label="Run now"
              title={`Run “${name}” now?`}
              action="Run it"
              words="All its recipients get the email now. Its planned times stay, so they get it then as well."
              onConfirm={() => run.mutate(undefined)}
            />
          </Actions>
          <Next schedule={data} change={{ name, refresh }} />
          <Runs name={name} timeZone={data.timeZone} />
        </>
      )}
    </>
  );
}
