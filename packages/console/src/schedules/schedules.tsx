import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { Empty, Fault, StateText } from '../parts/basics.js';
import { Small } from '../parts/form.js';
import { Head, SendTabs, Sheet } from '../parts/list.js';
import { useSession } from '../session.js';
import { RUN_STATES, SCHEDULE_STATES, ZoneTime } from './words.js';

const REFRESH_MS = 5000;

/** One template to many, at times that come again: those of the edition in use. */
export function Schedules() {
  const { client, space } = useSession();
  const { data, error } = useQuery({
    queryKey: ['schedules', space.name],
    queryFn: () => client.schedules.list(),
    refetchInterval: REFRESH_MS,
  });
  const schedules = data?.schedules ?? [];
  return (
    <>
      <SendTabs />
      <Head>
        <h1>Schedules</h1>
      </Head>
      {error !== null && <Fault error={error} />}
      {data !== undefined && schedules.length === 0 && (
        <Empty title="No schedule" command="verbalis publish mail">
          A schedule is a file of the mail folder, schedules/NAME.yaml: which template is sent to many, when, and where the recipients come
          from.
        </Empty>
      )}
      {schedules.length > 0 && (
        <Sheet aria-label="Schedules">
          <TableHeader>
            <Column isRowHeader>Schedule</Column>
            <Column isRowHeader>State</Column>
            <Column isRowHeader>Next</Column>
            <Column>Last run</Column>
            <Column>Recipients</Column>
          </TableHeader>
          <TableBody>
            {schedules.map(({ name, template, state, nextAt, timeZone, lastRun, from }) => (
              <Row key={name} id={name} href={`/send/schedules/${name}`}>
                <Cell>
                  {name}
                  {name !== template && <Small> {template}</Small>}
                </Cell>
                <Cell>
                  <StateText $color={SCHEDULE_STATES[state].color} data-sign={SCHEDULE_STATES[state].sign}>
                    {state}
                  </StateText>
                </Cell>
                <Cell data-name="Next">
                  {nextAt !== undefined && (
                    <>
                      <ZoneTime at={nextAt} timeZone={timeZone} />
                      <br />
                      <Small>{timeZone}</Small>
                    </>
                  )}
                </Cell>
                <Cell data-name="Last run">
                  {lastRun === undefined ? (
                    <Small>not yet</Small>
                  ) : (
                    <>
                      <StateText $color={RUN_STATES[lastRun.state].color} data-sign={RUN_STATES[lastRun.state].sign}>
                        {lastRun.state}
                      </StateText>{' '}
                      <ZoneTime at={lastRun.plannedAt} timeZone={timeZone} />
                    </>
                  )}
                </Cell>
                <Cell data-name="Recipients">
                  <Small>{from}</Small>
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
    </>
  );
}
