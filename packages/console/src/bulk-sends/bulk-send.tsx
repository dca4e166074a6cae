import type { BulkSendView, State } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Cell, Column, ProgressBar, Row, TableBody, TableHeader } from 'react-aria-components';
import { Link, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Fault, Mono, StateText, StateWord, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { SendTabs, Sheet } from '../parts/list.js';
import { Older, usePages } from '../parts/pages.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { BULK_STATES } from './words.js';

const REFRESH_MS = 1000;

const Line = styled.p`
  margin: 8px 0 16px;
  color: ${color.soft};
`;
const Progress = styled(ProgressBar)`
  display: grid;
  gap: 6px;
  max-width: 640px;
  margin-bottom: 16px;
  [data-track] {
    height: 10px;
    border-radius: 5px;
    background: ${color.hair};
    overflow: hidden;
  }
  [data-fill] {
    height: 100%;
    background: ${color.accent};
  }
`;
const States = styled.ul`
  list-style: none;
  margin: 0 0 20px;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 24px;
  li {
    display: flex;
    gap: 8px;
  }
`;
const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-bottom: 32px;
`;
const Part = styled.section`
  h2 {
    margin-bottom: 8px;
  }
`;
const Problem = styled.p`
  color: ${color.bad};
  margin-bottom: 16px;
  overflow-wrap: anywhere;
`;

const waits = ({ deliveries }: BulkSendView): number => (deliveries['queued'] ?? 0) + (deliveries['delayed'] ?? 0);

/** How far it is: what does not wait any more, of what was accepted. */
function HowFar({ bulk }: { readonly bulk: BulkSendView }) {
  const sent = Object.values(bulk.deliveries).reduce((sum, n) => sum + n, 0) - waits(bulk);
  const words = `${bulk.read.toLocaleString('en')} read, ${bulk.accepted.toLocaleString('en')} accepted, ${bulk.refused.toLocaleString('en')} refused, ${sent.toLocaleString('en')} sent`;
  return (
    <Progress aria-label="Sent of what was accepted" value={sent} maxValue={Math.max(1, bulk.accepted)} valueLabel={words}>
      {({ percentage }) => (
        <>
          <span>{words}</span>
          <div data-track>
            <div data-fill style={{ width: `${percentage ?? 0}%` }} />
          </div>
        </>
      )}
    </Progress>
  );
}

function Refused({ id }: { readonly id: string }) {
  const { client, space } = useSession();
  const pages = usePages({
    key: ['bulk-refused', space.name, id],
    read: (page) => client.bulkSends.refused(id, page),
    rowsOf: (page) => page.refused,
    refreshMs: 5000,
  });
  if (pages.rows.length === 0) return null;
  return (
    <Part aria-label="Refused recipients">
      <h2>Refused recipients</h2>
      <Sheet aria-label="Refused recipients">
        <TableHeader>
          <Column isRowHeader>Row</Column>
          <Column>Who</Column>
          <Column>Why</Column>
        </TableHeader>
        <TableBody>
          {pages.rows.map(({ row, who, problems }) => (
            <Row key={row} id={row}>
              <Cell data-name="Row">{row}</Cell>
              <Cell>
                <Mono>{who ?? ''}</Mono>
              </Cell>
              <Cell>{problems.map(({ path, message }) => `${path === '' ? '' : `“${path}” `}${message}`).join('; ')}</Cell>
            </Row>
          ))}
        </TableBody>
      </Sheet>
      <Older pages={pages}>More</Older>
    </Part>
  );
}

/** One bulk send: how far it is, and what can be done about it. */
export function BulkSendPage() {
  const { client, space } = useSession();
  const { id = '' } = useParams();
  const queries = useQueryClient();
  const key = ['bulk-send', space.name, id];
  const { data, error } = useQuery({ queryKey: key, queryFn: () => client.bulkSends.get(id), refetchInterval: REFRESH_MS });
  const move = useMutation({
    mutationFn: (action: 'pause' | 'resume' | 'cancel') => client.bulkSends[action](id),
    onSuccess: () => queries.invalidateQueries({ queryKey: key }),
  });
  const fault = error ?? move.error;
  return (
    <>
      <SendTabs />
      <h1>{data?.name ?? 'Bulk send'}</h1>
      {fault !== null && <Fault error={fault} />}
      {data !== undefined && (
        <>
          <Line>
            <StateText $color={BULK_STATES[data.state].color} data-sign={BULK_STATES[data.state].sign}>
              {data.state}
            </StateText>
            : {BULK_STATES[data.state].means}. Template {data.template}, begun <When at={data.createdAt} />
            {data.endedAt !== undefined && (
              <>
                , ended <When at={data.endedAt} />
              </>
            )}
            {data.run !== undefined && (
              <>
                , run of the schedule <Link to={`/send/schedules/${data.run.schedule}`}>{data.run.schedule}</Link>
              </>
            )}
            {data.perMinute !== undefined && `, ${data.perMinute} a minute`}
            {data.first !== undefined && `, the first ${data.first} only`}
          </Line>
          {data.problem !== undefined && <Problem>{data.problem}</Problem>}
          <HowFar bulk={data} />
          <States aria-label="Deliveries">
            {Object.entries(data.deliveries).map(([state, n]) => (
              <li key={state}>
                {n.toLocaleString('en')} <StateWord state={state as State} />
              </li>
            ))}
          </States>
          <Actions>
            {data.state === 'running' && (
              <Button $quiet onPress={() => move.mutate('pause')} isDisabled={move.isPending}>
                Pause
              </Button>
            )}
            {(data.state === 'paused' || data.state === 'failed') && (
              <Button onPress={() => move.mutate('resume')} isDisabled={move.isPending}>
                Resume
              </Button>
            )}
            {(data.state !== 'canceled' && data.state !== 'done') || (data.state === 'done' && waits(data) > 0) ? (
              <Confirm
                label="Cancel"
                title={`Cancel “${data.name}”?`}
                action="Cancel it"
                words="No more recipients are read, and what waits is not sent. This cannot be undone."
                onConfirm={() => move.mutate('cancel')}
              />
            ) : null}
          </Actions>
          <Refused id={id} />
        </>
      )}
    </>
  );
}
