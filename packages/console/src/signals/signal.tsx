import type { SignalView } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Fault, Mono, StateText, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { SendTabs } from '../parts/list.js';
import { Facts } from '../parts/facts.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { RULE_STATES } from './words.js';

const REFRESH_MS = 3000;

const Made = styled.ol`
  list-style: none;
  margin: 0 0 16px;
  padding: 0;
  border-top: 1px solid ${color.hair};
  li {
    display: grid;
    grid-template-columns: 110px minmax(0, 1fr);
    gap: 2px 16px;
    padding: 12px 0;
    border-bottom: 1px solid ${color.hair};
  }
  p {
    color: ${color.soft};
    overflow-wrap: anywhere;
  }
`;
const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-bottom: 24px;
`;
const Data = styled.pre`
  font: 13px/1.5 ${font.mono};
  background: ${color.wash};
  padding: 12px 16px;
  border-radius: 6px;
  max-height: 480px;
  overflow: auto;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`;

/** What one rule did with the signal. */
function Rule({
  made: { rule, state, why, dueAt, messageId, combinedWith = [], changedAt },
}: {
  readonly made: SignalView['rules'][number];
}) {
  return (
    <li>
      <StateText $color={RULE_STATES[state].color} data-sign={RULE_STATES[state].sign}>
        {state}
      </StateText>
      <div>
        <strong>{rule}</strong>: {RULE_STATES[state].means} <When at={changedAt} />
        {dueAt !== undefined && (
          <p>
            Due <When at={dueAt} />
          </p>
        )}
        {messageId !== undefined && (
          <p>
            <Link to={`/track/messages/${messageId}`}>The message</Link>
            {combinedWith.length > 0 && (
              <>
                , together with{' '}
                {combinedWith.map((id, i) => (
                  <span key={id}>
                    {i > 0 && ', '}
                    <Link to={`/send/signals/${id}`}>
                      <Mono>{id}</Mono>
                    </Link>
                  </span>
                ))}
              </>
            )}
          </p>
        )}
        {why !== undefined && <p>{why}</p>}
      </div>
    </li>
  );
}

/** One signal: what each rule did with it, and its data. */
export function SignalPage() {
  const { client, space } = useSession();
  const { id = '' } = useParams();
  const queries = useQueryClient();
  const key = ['signal', space.name, id];
  const { data, error } = useQuery({ queryKey: key, queryFn: () => client.signals.get(id), refetchInterval: REFRESH_MS });
  const onSuccess = () => queries.invalidateQueries({ queryKey: key });
  const cancel = useMutation({ mutationFn: () => client.signals.cancel(id), onSuccess });
  const retry = useMutation({ mutationFn: () => client.signals.retry(id), onSuccess });
  const fault = error ?? cancel.error ?? retry.error;
  const has = (state: SignalView['rules'][number]['state']): boolean => data?.rules.some((made) => made.state === state) === true;
  return (
    <>
      <SendTabs />
      <h1>
        {data?.type ?? 'Signal'} {data?.subject ?? ''}
      </h1>
      {fault !== null && <Fault error={fault} />}
      {data !== undefined && (
        <>
          <Facts
            facts={[
              ['Happened', <When at={data.time} />],
              ['Came in', <When at={data.receivedAt} />],
              [
                'From',
                <>
                  <Mono>{data.source}</Mono>, id <Mono>{data.eventId}</Mono>
                </>,
              ],
              ['Signal', <Mono>{data.id}</Mono>],
              ['Cancels', data.cancels === undefined ? undefined : `what waits of ${data.cancels.join(', ')}`],
            ]}
          />
          {data.isOpen && <p role="status">No rule was asked yet.</p>}
          {!data.isOpen && data.rules.length === 0 && data.cancels === undefined && <p>No rule of the mail folder is on this type.</p>}
          {data.rules.length > 0 && (
            <Made aria-label="Results of the rules">
              {data.rules.map((made) => (
                <Rule key={made.rule} made={made} />
              ))}
            </Made>
          )}
          <Actions>
            {has('waiting') && (
              <Confirm
                label="Cancel what waits"
                title="Cancel what waits of this signal?"
                action="Cancel it"
                words="Its email is not sent. What was sent already stays."
                onConfirm={() => cancel.mutate()}
              />
            )}
            {has('refused') && (
              <Button onPress={() => retry.mutate()} isDisabled={retry.isPending}>
                Try again
              </Button>
            )}
          </Actions>
          <h2>What it carries</h2>
          {data.data === undefined ? <p>Its data are no longer kept.</p> : <Data>{JSON.stringify(data.data, null, 2)}</Data>}
        </>
      )}
    </>
  );
}
