import type { SenderView } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, Note, StateText, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Field, Inline, Small } from '../parts/form.js';
import { Head, Sheet } from '../parts/list.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const CSV: readonly CsvColumn<SenderView>[] = [
  ['address', (sender) => sender.address],
  ['name', (sender) => sender.name ?? ''],
  ['from', (sender) => sender.from],
  ['standing', (sender) => sender.standing],
  ['usable', (sender) => String(sender.usable)],
  ['askedAt', (sender) => sender.askedAt ?? ''],
  ['confirmedAt', (sender) => sender.confirmedAt ?? ''],
];

const FROM: Readonly<Record<SenderView['from'], string>> = {
  configuration: 'verbalis.yaml',
  'mail-folder': 'Mail folder',
  added: 'Added',
};

const Adding = styled.section`
  margin-top: 40px;
  display: grid;
  gap: 12px;
`;

const Buttons = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
`;

/** Why it may be used, or what is missing. */
function Standing({ sender }: { readonly sender: SenderView }) {
  const { standing, askedAt, confirmedAt, delivery } = sender;
  switch (standing) {
    case 'configured':
      return <>Its domain is in verbalis.yaml</>;
    case 'own-domain':
      return <>Its domain was added</>;
    case 'confirmed':
      return <>Its owner agreed {confirmedAt !== undefined && <When at={confirmedAt} />}</>;
    case 'waiting':
      return askedAt === undefined ? (
        <>Its owner was not asked yet</>
      ) : (
        <>
          Its owner was asked <When at={askedAt} />
          {delivery !== undefined && <Small> ({delivery.state})</Small>}
        </>
      );
    case 'unknown':
      return <>Add its domain, or add the address here</>;
  }
}

function Actions({ sender }: { readonly sender: SenderView }) {
  const { client } = useSession();
  const queries = useQueryClient();
  const onSuccess = () => queries.invalidateQueries({ queryKey: ['senders'] });
  const ask = useMutation({ mutationFn: () => client.senders.ask(sender.address), onSuccess });
  const remove = useMutation({ mutationFn: () => client.senders.remove(sender.address), onSuccess });
  if (sender.from !== 'added') return null;
  const fault = ask.error ?? remove.error;
  const again = sender.askedAt === undefined ? 'Ask' : 'Ask again';
  return (
    <Buttons>
      {sender.standing === 'waiting' && (
        <Button $quiet aria-label={`${again} ${sender.address}`} onPress={() => ask.mutate()} isDisabled={ask.isPending}>
          {again}
        </Button>
      )}
      <Confirm
        label="Remove"
        name={`Remove ${sender.address}`}
        title={`Remove ${sender.address}?`}
        words="What was accepted already is still sent. The link that its owner got confirms nothing any more."
        onConfirm={() => remove.mutate()}
      />
      {fault !== null && <Fault error={fault} />}
    </Buttons>
  );
}

function Add() {
  const { client } = useSession();
  const queries = useQueryClient();
  const [key, setKey] = useState(0);
  const add = useMutation({
    mutationFn: (wanted: { address: string; name?: string }) => client.senders.add(wanted),
    onSuccess: async () => {
      setKey((before) => before + 1);
      await queries.invalidateQueries({ queryKey: ['senders'] });
    },
  });
  return (
    <Adding aria-label="Add a sender">
      <h2>Add a sender</h2>
      <Inline
        key={key}
        onSubmit={(event) => {
          event.preventDefault();
          const form = new FormData(event.currentTarget);
          const of = (name: string): string => {
            const value = form.get(name);
            return typeof value === 'string' ? value.trim() : '';
          };
          add.mutate({ address: of('address'), ...(of('name') === '' ? {} : { name: of('name') }) });
        }}
      >
        <Field name="address" label="Address" required />
        <Field name="name" label="Display name" />
        <Button type="submit" isDisabled={add.isPending}>
          Add
        </Button>
      </Inline>
      <Small>Where its domain is not yours, its owner gets an email and has to agree.</Small>
      {add.error !== null && <Fault error={add.error} />}
      {add.data !== undefined && (
        <p role="status">
          {add.data.standing === 'waiting' ? `An email went to ${add.data.address}.` : `${add.data.address} can be used now.`}
        </p>
      )}
    </Adding>
  );
}

/** Whom the space sends as, and whether it may. */
export function Senders() {
  const { client, space } = useSession();
  const { data, error } = useQuery({
    queryKey: ['senders', space.name],
    queryFn: () => client.senders.list(),
    refetchInterval: 5000,
  });
  const senders = data?.senders ?? [];
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Senders</h1>
        {senders.length > 0 && <SaveCsv name="senders" columns={CSV} all={() => [senders]} />}
      </Head>
      {error !== null && <Fault error={error} />}
      {data !== undefined && senders.length === 0 && (
        <Empty title="No sender yet" command="verbalis senders add harbour@saltmarsh-ferries.example">
          Set the sender in mail.yaml or for the space in verbalis.yaml, or add an address here.
        </Empty>
      )}
      {senders.length > 0 && (
        <Sheet aria-label="Senders">
          <TableHeader>
            <Column isRowHeader>Address</Column>
            <Column>Display name</Column>
            <Column>From</Column>
            <Column isRowHeader>Can be used</Column>
            <Column>Why</Column>
            <Column>Change</Column>
          </TableHeader>
          <TableBody>
            {senders.map((sender) => (
              <Row key={`${sender.from} ${sender.template ?? ''} ${sender.address}`}>
                <Cell>
                  <Mono>{sender.address}</Mono>
                </Cell>
                <Cell {...(sender.name === undefined ? {} : { 'data-name': 'Display name' })}>{sender.name ?? ''}</Cell>
                <Cell>
                  <span style={{ whiteSpace: 'nowrap' }}>{FROM[sender.from]}</span>
                  {sender.template !== undefined && <Small> {sender.template}</Small>}
                </Cell>
                <Cell>
                  <StateText $color={sender.usable ? color.good : color.bad} data-sign={sender.usable ? '✓' : '✕'}>
                    {sender.usable ? 'Yes' : 'Not yet'}
                  </StateText>
                </Cell>
                <Cell>
                  <Standing sender={sender} />
                </Cell>
                <Cell>
                  <Actions sender={sender} />
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      {senders.flatMap(({ address, advice }) => (advice === undefined ? [] : [<Note key={address}>{advice}</Note>]))}
      {data !== undefined && data.domains.length > 0 && <Note>Messages may name any address at {data.domains.join(', ')}.</Note>}
      <Add />
    </>
  );
}
