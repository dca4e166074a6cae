import type { Subscription } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { Button, Empty, Fault, Mono } from '../parts/basics.js';
import { FilterField } from '../events/filter-field.js';
import { Field, Section } from '../parts/form.js';
import { Head, Sheet, TrackTabs } from '../parts/list.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { SubscriptionState } from './subscription-state.js';

/** What most chats take: an alert names itself, an email is recognised by its recipient. */
const CHAT_SHAPE = '{"text": "{{ event.data.text ?? event.data.address }} {{ event.data.cause }}"}';

function Add() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [filter, setFilter] = useState('type in [failed, complained]');
  const [isChat, setIsChat] = useState(false);
  const [fault, setFault] = useState<unknown>();
  const [key, setKey] = useState(0);
  const add = useMutation({
    mutationFn: (wanted: Parameters<typeof client.subscriptions.add>[0]) => client.subscriptions.add(wanted),
    onSuccess: async () => {
      setKey((before) => before + 1);
      setIsChat(false);
      await queries.invalidateQueries({ queryKey: ['subscriptions', space.name] });
    },
  });
  return (
    <Section
      key={key}
      aria-label="A new subscription"
      onSubmit={(event) => {
        event.preventDefault();
        const form = new FormData(event.currentTarget);
        const text = (name: string): string => {
          const value = form.get(name);
          return typeof value === 'string' ? value.trim() : '';
        };
        setFault(undefined);
        if (!/^https?:\/\/[^\s/]+/.test(text('url'))) {
          setFault(new Error(`“${text('url')}” is not a valid address: it begins with https:// and a host.`));
          return;
        }
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
      {fault !== undefined && <Fault error={fault} />}
      {add.error !== null && <Fault error={add.error} />}
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
  ['id', (subscription) => subscription.id],
  ['name', (subscription) => subscription.name],
  ['url', (subscription) => subscription.url],
  ['filter', (subscription) => subscription.filter],
  ['state', (subscription) => subscription.state],
  ['delivered', (subscription) => subscription.delivered],
  ['waiting', (subscription) => subscription.waiting],
  ['deadLetters', (subscription) => subscription.deadLetters],
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
          A subscription sends events to an address, signed and in order for each delivery, and retries for three days when the address does
          not answer.
        </Empty>
      )}
      {(data?.length ?? 0) > 0 && (
        <Sheet aria-label="Subscriptions">
          <TableHeader>
            <Column isRowHeader>Name</Column>
            <Column isRowHeader>State</Column>
            <Column>Filter</Column>
            <Column>Delivered</Column>
            <Column>Waiting</Column>
            <Column>Dead letters</Column>
          </TableHeader>
          <TableBody>
            {(data ?? []).map((subscription) => (
              <Row key={subscription.id} id={subscription.id} href={`/track/subscriptions/${subscription.id}`}>
                <Cell>{subscription.name}</Cell>
                <Cell>
                  <SubscriptionState subscription={subscription} />
                </Cell>
                <Cell>
                  <Mono>{subscription.filter === '' ? 'everything' : subscription.filter}</Mono>
                </Cell>
                <Cell data-name="delivered">{subscription.delivered}</Cell>
                <Cell data-name="waiting">{subscription.waiting}</Cell>
                <Cell data-name="dead letters">{subscription.deadLetters}</Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Add />
    </>
  );
}
