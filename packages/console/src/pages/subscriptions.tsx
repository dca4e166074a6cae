import type { NotificationView, Subscription } from '@verbalis/client';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { Cell, Column, Input, Label, Row, TableBody, TableHeader, TextField, ToggleButton, ToggleButtonGroup } from 'react-aria-components';
import { Link, useNavigate, useParams } from 'react-router';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Field } from '../parts/form.js';
import { Head, Sheet, TrackTabs } from '../parts/list.js';
import { useSession } from '../session.js';
import { color, font } from '../style.js';
import { CAUSES } from '../words.js';

const Word = styled.span<{ readonly $color: string }>`
  color: ${({ $color }) => $color};
  font-weight: 600;
  white-space: nowrap;
`;

const Form = styled.form`
  display: grid;
  gap: 16px;
  max-width: 760px;
  border-top: 1px solid ${color.hair};
  margin-top: 40px;
  padding-top: 20px;
`;

const Kinds = styled(ToggleButtonGroup)`
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  button {
    font: 15px/20px ${font.sans};
    padding: 5px 10px;
    border: 1px solid ${color.hair};
    border-radius: 999px;
    background: transparent;
    color: ${color.ink};
    cursor: pointer;
  }
  button[data-selected] {
    background: ${color.ink};
    color: ${color.paper};
  }
`;

const Text = styled(TextField)`
  display: grid;
  gap: 4px;
  label {
    font-size: 14px;
    color: ${color.soft};
  }
  input {
    font: 15px/24px ${font.mono};
    padding: 6px 12px;
    border: 1px solid ${color.soft};
    border-radius: 6px;
    background: ${color.raised};
    color: ${color.ink};
  }
`;

const Small = styled.span`
  font-size: 14px;
  color: ${color.soft};
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

const KINDS = [
  'accepted',
  'delayed',
  'delivered',
  'failed',
  'complained',
  'withheld',
  'expired',
  'unsubscribed',
  'alert-firing',
  'alert-resolved',
] as const;

function State({ one }: { readonly one: Subscription }) {
  const [sign, word, ink] =
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
    <Word $color={ink}>
      {sign} {word}
    </Word>
  );
}

/** Builds a filter by choosing, and says how much it lets through. */
function FilterField({ value, onChange }: { readonly value: string; readonly onChange: (value: string) => void }) {
  const { client, space } = useSession();
  const settled = useDeferredValue(value);
  const trial = useQuery({
    queryKey: ['filter', space.name, settled],
    queryFn: () => client.events.tryFilter(settled),
    placeholderData: keepPreviousData,
  });
  const chosen = (name: string): string[] =>
    [...(new RegExp(`\\b${name} in \\[([^\\]]*)\\]`).exec(value)?.[1] ?? '').matchAll(/[\w-]+/g)].map(([one]) => one);
  const put = (name: string, values: readonly string[]): void => {
    const bare = value.replace(new RegExp(`(?: and )?\\b${name} in \\[[^\\]]*\\](?: and )?`), (found) =>
      found.startsWith(' and ') && found.endsWith(' and ') ? ' and ' : '',
    );
    const part = values.length === 0 ? '' : `${name} in [${values.join(', ')}]`;
    onChange([part, bare.trim()].filter((one) => one !== '').join(' and '));
  };
  return (
    <>
      <div>
        <Small id="of-kinds">What happened (all, when none is chosen)</Small>
        <Kinds
          aria-labelledby="of-kinds"
          selectionMode="multiple"
          selectedKeys={chosen('type')}
          onSelectionChange={(keys) => put('type', [...keys].map(String))}
        >
          {KINDS.map((one) => (
            <ToggleButton key={one} id={one}>
              {one}
            </ToggleButton>
          ))}
        </Kinds>
      </div>
      <div>
        <Small id="of-causes">Because of</Small>
        <Kinds
          aria-labelledby="of-causes"
          selectionMode="multiple"
          selectedKeys={chosen('cause')}
          onSelectionChange={(keys) => put('cause', [...keys].map(String))}
        >
          {CAUSES.map((one) => (
            <ToggleButton key={one} id={one}>
              {one}
            </ToggleButton>
          ))}
        </Kinds>
      </div>
      <Text value={value} onChange={onChange}>
        <Label>Filter</Label>
        <Input placeholder='type in [failed, complained] and topic = "bookings"' />
      </Text>
      {trial.error !== null ? (
        <Fault error={trial.error} />
      ) : (
        <Small role="status">
          {trial.data === undefined ? '' : `It lets through ${trial.data.passed} of the ${trial.data.looked} events of the last day.`}
        </Small>
      )}
    </>
  );
}

function Add() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [filter, setFilter] = useState('type in [failed, complained]');
  const add = useMutation({
    mutationFn: (wanted: Parameters<typeof client.subscriptions.add>[0]) => client.subscriptions.add(wanted),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['subscriptions', space.name] }),
  });
  return (
    <Form
      aria-label="A new subscription"
      onSubmit={(event) => {
        event.preventDefault();
        const form = new FormData(event.currentTarget);
        const text = (name: string): string => {
          const value = form.get(name);
          return typeof value === 'string' ? value.trim() : '';
        };
        add.mutate({
          url: text('url'),
          filter,
          ...(text('name') === '' ? {} : { name: text('name') }),
          ...(form.get('unasked') === 'yes' ? { handshake: false } : {}),
        });
      }}
    >
      <h2>A new subscription</h2>
      <Field name="url" label="Address (it is asked first whether it wants this)" required />
      <Field name="name" label="Name" />
      <label>
        <input type="checkbox" name="unasked" value="yes" /> It is a chat’s incoming address, which cannot answer that question
      </label>
      <FilterField value={filter} onChange={setFilter} />
      <div>
        <Button type="submit">Subscribe</Button>
      </div>
      {add.error !== null && <Fault error={add.error} />}
      {add.data !== undefined && (
        <p role="status">
          {add.data.state === 'active' ? 'It is active.' : (add.data.reason ?? 'It has not said yes.')} Its secret, shown this once:{' '}
          <Mono>{add.data.secret}</Mono>
        </p>
      )}
    </Form>
  );
}

/** Where events are sent. */
export function Subscriptions() {
  const { client, space } = useSession();
  const { data, error } = useQuery({
    queryKey: ['subscriptions', space.name],
    queryFn: () => client.subscriptions.list(),
    refetchInterval: 3000,
  });
  return (
    <>
      <TrackTabs />
      <Head>
        <h1>Subscriptions</h1>
      </Head>
      {error !== null && <Fault error={error} />}
      {data?.length === 0 && (
        <Empty
          title="Nobody is told yet"
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
            <Column>Set aside</Column>
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
                <Cell aria-label={`delivered: ${one.delivered}`}>{one.delivered}</Cell>
                <Cell aria-label={`waiting: ${one.waiting}`}>{one.waiting}</Cell>
                <Cell aria-label={`set aside: ${one.setAside}`}>{one.setAside}</Cell>
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
  const ink = one.state === 'delivered' ? color.good : one.state === 'waiting' ? color.wait : color.bad;
  return (
    <>
      <Word $color={ink}>
        {one.state === 'delivered' ? '●' : one.state === 'waiting' ? '~' : '✕'} {one.state}
      </Word>{' '}
      <Small>{one.problem ?? `${one.status ?? ''}${one.milliseconds === undefined ? '' : `, ${one.milliseconds} ms`}`}</Small>
    </>
  );
}

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
  const sent = useQuery({
    queryKey: ['subscriptions', space.name, id, 'notifications'],
    queryFn: () => client.subscriptions.notifications(id, { limit: 50 }),
    refetchInterval: 3000,
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
        {data.shape !== undefined && (
          <>
            <dt>Shape</dt>
            <dd>
              <Mono>{JSON.stringify(data.shape)}</Mono>
            </dd>
          </>
        )}
        <dt>Sent</dt>
        <dd>
          {data.delivered} delivered, {data.waiting} waiting, {data.setAside} set aside, {data.behind} not looked at
        </dd>
      </Facts>
      <Actions>
        <Button
          onPress={() =>
            act.mutate(async () => {
              const { ok, status, milliseconds, problem } = await subscriptions.test(id);
              return ok ? `The test was taken: ${status ?? ''} after ${milliseconds} ms.` : `The test was not taken. ${problem ?? ''}`;
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
            act.mutate(async () => (await subscriptions.replay(id, new Date(Date.now() - 3_600_000)), 'The last hour is sent again.'))
          }
        >
          Send the last hour again
        </Button>
        {data.setAside > 0 && (
          <Button $quiet onPress={() => act.mutate(async () => `${await subscriptions.again(id)} on their way again.`)}>
            Send again what was set aside
          </Button>
        )}
        <Confirm
          label="Remove"
          title={`Remove “${data.name}”?`}
          words="It gets nothing more, and what is known of its notifications is taken away."
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
      {sent.data?.notifications.length === 0 && <p>Nothing was sent to it yet.</p>}
      {(sent.data?.notifications.length ?? 0) > 0 && (
        <Sheet aria-label="Notifications">
          <TableHeader>
            <Column isRowHeader>Event</Column>
            <Column>What became of it</Column>
            <Column>About</Column>
            <Column>Tries</Column>
            <Column>Last try</Column>
          </TableHeader>
          <TableBody>
            {(sent.data?.notifications ?? []).map((one) => (
              <Row key={one.id} id={one.id} {...(one.messageId === undefined ? {} : { href: `/track/messages/${one.messageId}` })}>
                <Cell>{one.type.replace('verbalis.', '')}</Cell>
                <Cell>
                  <Notification one={one} />
                </Cell>
                <Cell>
                  <Mono>{one.address ?? ''}</Mono>
                </Cell>
                <Cell>{one.attempts}</Cell>
                <Cell>{one.lastAt === undefined ? '' : <When at={one.lastAt} />}</Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
    </article>
  );
}
