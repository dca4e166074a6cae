import type { NotificationView, Subscription } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useNavigate, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Fault, Mono, When } from '../parts/basics.js';
import { Back } from '../parts/back.js';
import { Confirm } from '../parts/confirm.js';
import { Head, Sheet } from '../parts/list.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { Facts } from '../parts/facts.js';
import { useSession } from '../session.js';
import { inNumber } from '../words.js';
import { Outcome, SubscriptionState } from './subscription-state.js';

const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 16px 0 24px;
`;

const SENT_CSV: readonly CsvColumn<NotificationView>[] = [
  ['id', (notification) => notification.id],
  ['type', (notification) => notification.type],
  ['state', (notification) => notification.state],
  ['address', (notification) => notification.address],
  ['deliveryId', (notification) => notification.deliveryId],
  ['attempts', (notification) => notification.attempts],
  ['status', (notification) => notification.status],
  ['problem', (notification) => notification.problem],
  ['lastAt', (notification) => notification.lastAt],
];

const Heading = styled.h2`
  margin-top: 24px;
`;

/** One subscription, what was sent to it, and what can be done with it. */
export function SubscriptionPage() {
  const { client, space } = useSession();
  const { id = '' } = useParams();
  const { data, error } = useQuery({
    queryKey: ['subscriptions', space.name, id],
    queryFn: () => client.subscriptions.get(id),
    refetchInterval: 3000,
  });
  if (error !== null) return <Fault error={error} />;
  if (data === undefined) return <p role="status">Reading the subscription …</p>;
  return (
    <article>
      <Back to="/track/subscriptions">Subscriptions</Back>
      <Head>
        <h1>{data.name}</h1>
      </Head>
      <Facts
        facts={[
          [
            'State',
            <>
              <SubscriptionState subscription={data} /> {data.reason}
            </>,
          ],
          ['To', <Mono>{data.url}</Mono>],
          ['Filter', <Mono>{data.filter === '' ? 'everything' : data.filter}</Mono>],
          ['Payload', data.payload === undefined ? undefined : <Mono>{JSON.stringify(data.payload)}</Mono>],
          [
            'Sent',
            `${data.delivered} delivered, ${data.waiting} waiting, ${inNumber(data.deadLetters, 'dead letter')}, ${inNumber(data.behind, 'event')} not read yet`,
          ],
        ]}
      />
      <SubscriptionActions subscription={data} />
      <Notifications id={id} />
    </article>
  );
}

function SubscriptionActions({ subscription }: { readonly subscription: Subscription }) {
  const { client, space } = useSession();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [outcome, setOutcome] = useState<string>();
  const act = useMutation({
    mutationFn: (run: () => Promise<string>) => run(),
    onSuccess: async (words) => {
      setOutcome(words);
      await queries.invalidateQueries({ queryKey: ['subscriptions', space.name] });
    },
  });
  const { subscriptions } = client;
  const { id } = subscription;
  const test = async (): Promise<string> => {
    const { ok, status, milliseconds, problem } = await subscriptions.test(id);
    return ok ? `The test was accepted: ${status ?? ''} after ${milliseconds} ms.` : `The test was not accepted. ${problem ?? ''}`;
  };
  const pause = async (): Promise<string> => {
    await subscriptions.pause(id);
    return 'It is paused; no event is lost.';
  };
  const resume = async (): Promise<string> =>
    (await subscriptions.resume(id)).state === 'active' ? 'It goes on from where it stood.' : 'It has not said yes.';
  const replay = async (): Promise<string> => {
    await subscriptions.replay(id, { since: new Date(Date.now() - 3_600_000).toISOString() });
    return 'The last hour is sent again.';
  };
  const again = async (): Promise<string> => `${(await subscriptions.again(id)).count} are sent again.`;
  const remove = async (): Promise<string> => {
    await subscriptions.remove(id);
    await navigate('/track/subscriptions');
    return '';
  };
  const isActive = subscription.state === 'active';
  return (
    <>
      <Actions>
        <Button onPress={() => act.mutate(test)}>Send a test</Button>
        <Button $quiet onPress={() => act.mutate(isActive ? pause : resume)}>
          {isActive ? 'Pause' : 'Go on'}
        </Button>
        <Button $quiet onPress={() => act.mutate(replay)}>
          Send the last hour again
        </Button>
        {subscription.deadLetters > 0 && (
          <Button $quiet onPress={() => act.mutate(again)}>
            Redeliver dead letters
          </Button>
        )}
        <Confirm
          label="Remove"
          title={`Remove “${subscription.name}”?`}
          words="It gets no events any more, and its notifications are deleted."
          onConfirm={() => act.mutate(remove)}
        />
      </Actions>
      {act.error !== null && <Fault error={act.error} />}
      {outcome !== undefined && outcome !== '' && <p role="status">{outcome}</p>}
    </>
  );
}

function Notifications({ id }: { readonly id: string }) {
  const { client, space } = useSession();
  const sent = usePages({
    key: ['subscriptions', space.name, id, 'notifications'],
    read: (page) => client.subscriptions.notifications(id, page),
    rowsOf: (page) => page.notifications,
    refreshMs: 3000,
  });
  return (
    <>
      <Heading>Notifications</Heading>
      {sent.error !== null && <Fault error={sent.error} />}
      {sent.isSuccess && sent.rows.length === 0 && <p>Nothing was sent to it yet.</p>}
      {sent.rows.length > 0 && <SaveCsv name="notifications" columns={SENT_CSV} all={sent.all} />}
      {sent.rows.length > 0 && (
        <Sheet aria-label="Notifications">
          <TableHeader>
            <Column isRowHeader>Event</Column>
            <Column>Outcome</Column>
            <Column>About</Column>
            <Column>Tries</Column>
            <Column>Last try</Column>
          </TableHeader>
          <TableBody>
            {sent.rows.map((row) => (
              <Row key={row.id} id={row.id} {...(row.messageId === undefined ? {} : { href: `/track/messages/${row.messageId}` })}>
                <Cell>{row.type.replace('verbalis.', '')}</Cell>
                <Cell>
                  <Outcome notification={row} />
                </Cell>
                <Cell>
                  <Mono>{row.address ?? ''}</Mono>
                </Cell>
                <Cell data-name="tries">{row.attempts}</Cell>
                <Cell>{row.lastAt === undefined ? '' : <When at={row.lastAt} />}</Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Older pages={sent}>Older notifications</Older>
    </>
  );
}
