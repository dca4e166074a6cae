import type { NotificationView, Subscription } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { Link, useNavigate, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { FilterField } from '../events/filter-field.js';
import { Field, Section, Small } from '../parts/form.js';
import { Head, Sheet, TrackTabs } from '../parts/list.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const Word = styled.span<{ readonly $color: string }>`
  color: ${({ $color }) => $color};
  font-weight: 600;
  white-space: nowrap;
`;

const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 16px 0 24px;
`;

const Facts = styled.dl`
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 4px 16px;
  margin: 0;
  dt {
    color: ${color.soft};
  }
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
`;

function State({ one }: { readonly one: Subscription }) {
  const [sign, word, hue] =
    one.state === 'active'
      ? one.restingUntil === undefined
        ? ['●', 'active', color.good]
        : ['~', 'fails; left alone for a while', color.wait]
      : one.state === 'paused'
        ? ['–', 'paused', color.wait]
        : one.state === 'gone'
          ? ['✕', 'gone', color.bad]
          : ['?', 'has not said yes', color.bad];
  return (
    <Word $color={hue}>
      {sign} {word}
    </Word>
  );
}

/** What most chats take: an alert says itself what it is, an email is told by its recipient. */
const CHAT_SHAPE = '{"text": "{{ event.data.text ?? event.data.address }} {{ event.data.cause }}"}';

function Add() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [filter, setFilter] = useState('type in [failed, complained]');
  const [isChat, setIsChat] = useState(false);
  const [fault, setFault] = useState<unknown>();
  const add = useMutation({
    mutationFn: (wanted: Parameters<typeof client.subscriptions.add>[0]) => client.subscriptions.add(wanted),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['subscriptions', space.name] }),
  });
  return (
    <Section
      aria-label="A new subscription"
      onSubmit={(event) => {
        event.preventDefault();
        const form = new FormData(event.currentTarget);
        const text = (name: string): string => {
          const value = form.get(name);
          return typeof value === 'string' ? value.trim() : '';
        };
        setFault(undefined);
        let payload: unknown;
        try {
          if (text('payload') !== '') payload = JSON.parse(text('payload')) as unknown;
        } catch (error) {
          setFault(new Error(`The payload is not valid JSON: ${error instanceof Error ? error.message : ''}`));
          return;
        }
        add.mutate({
          url: text('url'),
          filter,
          ...(text('name') === '' ? {} : { name: text('name') }),
          ...(payload === undefined ? {} : { payload }),
          ...(isChat ? { handshake: false } : {}),
        });
      }}
    >
      <h2>A new subscription</h2>
      <Field name="url" label="Address (it is asked first whether it wants this)" required />
      <Field name="name" label="Name" />
      <label>
        <input type="checkbox" checked={isChat} onChange={(event) => setIsChat(event.currentTarget.checked)} /> It is a chat’s incoming
        address, which cannot answer that question
      </label>
      {isChat && <Field name="payload" label="What it is sent: JSON with values of the event" value={CHAT_SHAPE} />}
      <FilterField value={filter} onChange={setFilter} />
      <div>
        <Button type="submit">Subscribe</Button>
      </div>
      {fault !== undefined && <Fault error={fault} />}
      {add.error !== null && <Fault error={add.error} />}
      {add.data !== undefined && (
        <p role="status">
          {add.data.state === 'active' ? 'It is active.' : (add.data.reason ?? 'It has not said yes.')} Its secret, shown this once:{' '}
          <Mono>{add.data.secret}</Mono>
        </p>
      )}
    </Section>
  );
}

const CSV: readonly CsvColumn<Subscription>[] = [
  ['id', (one) => one.id],
  ['name', (one) => one.name],
  ['url', (one) => one.url],
  ['filter', (one) => one.filter],
  ['state', (one) => one.state],
  ['delivered', (one) => one.delivered],
  ['waiting', (one) => one.waiting],
  ['deadLetters', (one) => one.deadLetters],
];

/** Where events are sent. */
export function Subscriptions() {
  const { client, space } = useSession();
  const { data, error } = useQuery({
    queryKey: ['subscriptions', space.name],
    queryFn: async () => (await client.subscriptions.list()).subscriptions,
    refetchInterval: 3000,
  });
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Subscriptions</h1>
        {(data?.length ?? 0) > 0 && <SaveCsv name="subscriptions" columns={CSV} all={() => [data ?? []]} />}
      </Head>
      {error !== null && <Fault error={error} />}
      {data?.length === 0 && (
        <Empty
          title="No subscriptions yet"
          command={"verbalis subscriptions add https://app.example/mail-events --filter 'type in [failed, complained]'"}
        >
          A subscription sends what becomes known to an address, signed, in order for each delivery, and tries for three days when nobody
          answers.
        </Empty>
      )}
      {(data?.length ?? 0) > 0 && (
        <Sheet aria-label="Subscriptions">
          <TableHeader>
            <Column isRowHeader>Name</Column>
            <Column>State</Column>
            <Column>Filter</Column>
            <Column>Delivered</Column>
            <Column>Waiting</Column>
            <Column>Dead letters</Column>
          </TableHeader>
          <TableBody>
            {(data ?? []).map((one) => (
              <Row key={one.id} id={one.id} href={`/track/subscriptions/${one.id}`}>
                <Cell>{one.name}</Cell>
                <Cell>
                  <State one={one} />
                </Cell>
                <Cell>
                  <Mono>{one.filter === '' ? 'everything' : one.filter}</Mono>
                </Cell>
                <Cell data-name="delivered">{one.delivered}</Cell>
                <Cell data-name="waiting">{one.waiting}</Cell>
                <Cell data-name="dead letters">{one.deadLetters}</Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Add />
    </>
  );
}

function Notification({ one }: { readonly one: NotificationView }) {
  const hue = one.state === 'delivered' ? color.good : one.state === 'waiting' ? color.wait : color.bad;
  return (
    <>
      <Word $color={hue}>
        {one.state === 'delivered' ? '●' : one.state === 'waiting' ? '~' : '✕'} {one.state}
      </Word>{' '}
      <Small>{one.problem ?? `${one.status ?? ''}${one.milliseconds === undefined ? '' : `, ${one.milliseconds} ms`}`}</Small>
    </>
  );
}

const SENT_CSV: readonly CsvColumn<NotificationView>[] = [
  ['id', (one) => one.id],
  ['type', (one) => one.type],
  ['state', (one) => one.state],
  ['address', (one) => one.address],
  ['deliveryId', (one) => one.deliveryId],
  ['attempts', (one) => one.attempts],
  ['status', (one) => one.status],
  ['problem', (one) => one.problem],
  ['lastAt', (one) => one.lastAt],
];

/** One subscription, what was sent to it, and what can be done with it. */
export function SubscriptionPage() {
  const { client, space } = useSession();
  const { id = '' } = useParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { data, error } = useQuery({
    queryKey: ['subscriptions', space.name, id],
    queryFn: () => client.subscriptions.get(id),
    refetchInterval: 3000,
  });
  const sent = usePages({
    key: ['subscriptions', space.name, id, 'notifications'],
    read: (page) => client.subscriptions.notifications(id, page),
    rowsOf: (page) => page.notifications,
    refreshMs: 3000,
  });
  const [said, setSaid] = useState<string>();
  const act = useMutation({
    mutationFn: (run: () => Promise<string>) => run(),
    onSuccess: async (words) => {
      setSaid(words);
      await queries.invalidateQueries({ queryKey: ['subscriptions', space.name] });
    },
  });
  const { subscriptions } = client;
  if (error !== null) return <Fault error={error} />;
  if (data === undefined) return <p role="status">Reading the subscription …</p>;
  return (
    <article>
      <Link to="/track/subscriptions">← Subscriptions</Link>
      <Head>
        <h1>{data.name}</h1>
      </Head>
      <Facts>
        <dt>State</dt>
        <dd>
          <State one={data} /> {data.reason}
        </dd>
        <dt>To</dt>
        <dd>
          <Mono>{data.url}</Mono>
        </dd>
        <dt>Filter</dt>
        <dd>
          <Mono>{data.filter === '' ? 'everything' : data.filter}</Mono>
        </dd>
        {data.payload !== undefined && (
          <>
            <dt>Payload</dt>
            <dd>
              <Mono>{JSON.stringify(data.payload)}</Mono>
            </dd>
          </>
        )}
        <dt>Sent</dt>
        <dd>
          {data.delivered} delivered, {data.waiting} waiting, {data.deadLetters} set aside, {data.behind} not looked at
        </dd>
      </Facts>
      <Actions>
        <Button
          onPress={() =>
            act.mutate(async () => {
              const { ok, status, milliseconds, problem } = await subscriptions.test(id);
              return ok
                ? `The test was accepted: ${status ?? ''} after ${milliseconds} ms.`
                : `The test was not accepted. ${problem ?? ''}`;
            })
          }
        >
          Send a test
        </Button>
        {data.state === 'active' ? (
          <Button
            $quiet
            onPress={() => act.mutate(async () => (await subscriptions.pause(id), 'It is paused; nothing is lost meanwhile.'))}
          >
            Pause
          </Button>
        ) : (
          <Button
            $quiet
            onPress={() =>
              act.mutate(async () =>
                (await subscriptions.resume(id)).state === 'active' ? 'It goes on from where it stood.' : 'It has not said yes.',
              )
            }
          >
            Go on
          </Button>
        )}
        <Button
          $quiet
          onPress={() =>
            act.mutate(
              async () => (
                await subscriptions.replay(id, { since: new Date(Date.now() - 3_600_000).toISOString() }),
                'The last hour is sent again.'
              ),
            )
          }
        >
          Send the last hour again
        </Button>
        {data.deadLetters > 0 && (
          <Button $quiet onPress={() => act.mutate(async () => `${(await subscriptions.again(id)).count} are sent again.`)}>
            Send again what was set aside
          </Button>
        )}
        <Confirm
          label="Remove"
          title={`Remove “${data.name}”?`}
          words="It gets no more events, and its notifications are deleted."
          onConfirm={() =>
            act.mutate(async () => {
              await subscriptions.remove(id);
              await navigate('/track/subscriptions');
              return '';
            })
          }
        />
      </Actions>
      {act.error !== null && <Fault error={act.error} />}
      {said !== undefined && said !== '' && <p role="status">{said}</p>}
      <h2>Notifications</h2>
      {sent.error !== null && <Fault error={sent.error} />}
      {sent.isSuccess && sent.rows.length === 0 && <p>Nothing was sent to it yet.</p>}
      {sent.rows.length > 0 && <SaveCsv name="notifications" columns={SENT_CSV} all={sent.all} />}
      {sent.rows.length > 0 && (
        <Sheet aria-label="Notifications">
          <TableHeader>
            <Column isRowHeader>Event</Column>
            <Column>What became of it</Column>
            <Column>About</Column>
            <Column>Tries</Column>
            <Column>Last try</Column>
          </TableHeader>
          <TableBody>
            {sent.rows.map((row) => (
              <Row key={row.id} id={row.id} {...(row.messageId === undefined ? {} : { href: `/track/messages/${row.messageId}` })}>
                <Cell>{row.type.replace('verbalis.', '')}</Cell>
                <Cell>
                  <Notification one={row} />
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
    </article>
  );
}
