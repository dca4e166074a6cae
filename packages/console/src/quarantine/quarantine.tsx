import type { QuarantinedItem } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import styled from 'styled-components';
import { Button, Empty, Fault, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Small } from '../parts/form.js';
import { Head } from '../parts/list.js';
import { SetUpTabs } from '../parts/set-up.js';
import { Older, usePages } from '../parts/pages.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

// Not a grid: what can be done with each item is reached by Tab alone.
const Items = styled.ul`
  list-style: none;
  margin: 12px 0 0;
  padding: 0;
  border-top: 1px solid ${color.hair};
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) max-content;
    gap: 4px 16px;
    padding: 14px 0;
    border-bottom: 1px solid ${color.hair};
  }
  h2 {
    font-size: 17px;
    margin: 0;
  }
  @media (max-width: 700px) {
    li {
      grid-template-columns: minmax(0, 1fr);
    }
  }
`;

const Why = styled.p`
  margin: 2px 0;
  color: ${color.bad};
  overflow-wrap: anywhere;
`;

const Actions = styled.span`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: start;
`;

const Payload = styled.pre`
  grid-column: 1 / -1;
  overflow: auto;
  max-height: 320px;
  margin: 8px 0 0;
  font-size: 14px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
`;

const CSV: readonly CsvColumn<QuarantinedItem>[] = [
  ['item', ({ id }) => id],
  ['since', ({ quarantinedAt }) => quarantinedAt],
  ['worker', ({ worker }) => worker],
  ['space', ({ space }) => space],
  ['what', ({ title }) => title],
  ['error', ({ error }) => error],
];

function Details({ id }: { readonly id: string }) {
  const { client, space } = useSession();
  const { data, error } = useQuery({ queryKey: ['quarantined', space.name, id], queryFn: () => client.quarantine.get(id) });
  if (error !== null) return <Fault error={error} />;
  return data === undefined ? null : <Payload>{`${JSON.stringify(data.payload, null, 2)}\n\n${data.stack}`}</Payload>;
}

function Item({ item }: { readonly item: QuarantinedItem }) {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [isOpen, setOpen] = useState(false);
  const onSuccess = () => queries.invalidateQueries({ queryKey: ['quarantine', space.name] });
  const retry = useMutation({ mutationFn: () => client.quarantine.retry(item.id), onSuccess });
  const drop = useMutation({ mutationFn: () => client.quarantine.drop(item.id), onSuccess });
  const fault = retry.error ?? drop.error;
  return (
    <li>
      <div>
        <h2>{item.title}</h2>
        <Why>{item.error}</Why>
        <Small>
          {item.worker}, quarantined <When at={item.quarantinedAt} />
          {item.space === undefined && '; belongs to no space'}
        </Small>
      </div>
      <Actions>
        <Button aria-label={`Retry ${item.title}`} isDisabled={retry.isPending} onPress={() => retry.mutate()}>
          Retry
        </Button>
        <Button
          $quiet
          aria-label={`${isOpen ? 'Hide details' : 'Details'} of ${item.title}`}
          aria-expanded={isOpen}
          onPress={() => setOpen(!isOpen)}
        >
          {isOpen ? 'Hide details' : 'Details'}
        </Button>
        <Confirm
          label="Drop"
          name={`Drop ${item.title}`}
          title={`Drop “${item.title}”?`}
          action="Drop"
          words="It is removed without being processed. This cannot be undone."
          onConfirm={() => drop.mutate()}
        />
      </Actions>
      {isOpen && <Details id={item.id} />}
      {fault !== null && <Fault error={fault} />}
    </li>
  );
}

/** Items that could not be processed: what is wrong with each, and what can be done about it. */
export function Quarantine() {
  const { client, space } = useSession();
  const pages = usePages({
    key: ['quarantine', space.name],
    read: ({ limit, cursor }) => client.quarantine.list({ limit, ...(cursor === undefined ? {} : { cursor }) }),
    rowsOf: (page) => page.items,
    refreshMs: 5000,
  });
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Quarantine</h1>
        {pages.rows.length > 0 && <SaveCsv name="quarantine" columns={CSV} all={pages.all} />}
      </Head>
      {pages.error !== null && <Fault error={pages.error} />}
      {pages.isSuccess && pages.rows.length === 0 && (
        <Empty title="Nothing is in quarantine" command="verbalis quarantine list">
          An email, callback, return or notification that cannot be processed is tried four times, then waits here with its error. The items
          behind it go on.
        </Empty>
      )}
      {pages.rows.length > 0 && (
        <Items aria-label="Items in quarantine">
          {pages.rows.map((item) => (
            <Item key={item.id} item={item} />
          ))}
        </Items>
      )}
      <Older pages={pages}>Older items</Older>
    </>
  );
}
