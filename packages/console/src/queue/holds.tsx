import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Client, Hold } from '@verbalis/client';
import { useState } from 'react';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import styled from 'styled-components';
import { Button, Fault, Mono, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Field, Inline, Small } from '../parts/form.js';
import { Sheet } from '../parts/list.js';
import { useSession } from '../session.js';

type NewHold = Parameters<Client['holds']['add']>[0];

const REFRESH_MS = 2000;

const Actions = styled.div`
  display: flex;
  gap: 8px;
`;

const Everything = styled.label`
  padding-block: 8px;
`;

const Form = styled.div`
  display: grid;
  gap: 12px;
  margin-top: 16px;
`;

/** What a hold means, in words: `template booking, edition 12`. */
function meantText({ template, edition, topic, domain, labels = {} }: Hold): string {
  const fields = Object.entries({ template, edition, topic, domain }).flatMap(([name, value]) =>
    value === undefined ? [] : [`${name} ${value}`],
  );
  return [...fields, ...Object.entries(labels).map(([name, value]) => `label ${name}=${value}`)].join(', ') || 'everything';
}

/** The hold that a form asks for; undefined while it is incomplete. */
function wanted(form: FormData): NewHold | undefined {
  const of = (name: string): string | undefined => {
    const value = form.get(name);
    return typeof value === 'string' && value.trim() !== '' ? value.trim() : undefined;
  };
  const label = of('label');
  const at = label?.indexOf('=') ?? -1;
  const edition = of('edition');
  const fields = {
    template: of('template'),
    edition: edition === undefined ? undefined : Number(edition),
    topic: of('topic'),
    domain: of('domain'),
    labels: label === undefined ? undefined : { [at < 0 ? label : label.slice(0, at)]: at < 0 ? '' : label.slice(at + 1) },
  };
  const named = Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined));
  const reason = of('reason');
  const isAll = form.get('all') !== null;
  if (isAll === Object.keys(named).length > 0) return undefined;
  return { ...named, ...(isAll ? { all: true } : {}), ...(reason === undefined ? {} : { reason }) };
}

/** The stop button: what is held, and what is to be. */
export function Holds() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [key, setKey] = useState(0);
  const [isUnclear, setIsUnclear] = useState(false);
  const list = useQuery({ queryKey: ['holds', space.name], queryFn: () => client.holds.list(), refetchInterval: REFRESH_MS });
  const refresh = async (): Promise<void> => {
    await queries.invalidateQueries({ queryKey: ['holds'] });
    await queries.invalidateQueries({ queryKey: ['queue'] });
  };
  const add = useMutation({
    mutationFn: (hold: NewHold) => client.holds.add(hold),
    onSuccess: async () => {
      setKey((before) => before + 1);
      await refresh();
    },
  });
  const release = useMutation({ mutationFn: (id: string) => client.holds.release({ id }), onSuccess: refresh });
  const cancel = useMutation({
    mutationFn: async ({ template, edition, topic, domain, labels }: Hold) => {
      const filter = { template, edition, topic, domain, labels };
      const isAll = Object.values(filter).every((value) => value === undefined);
      for (let more = true; more;) ({ more } = await client.queue.cancel(isAll ? { all: true } : filter));
    },
    onSuccess: refresh,
  });
  const holds = list.data?.holds ?? [];
  return (
    <>
      <h2>Holds</h2>
      <p>
        <Small>
          Held email is not sent until it is released; this includes email that is accepted later. Sending that has begun is not stopped.
        </Small>
      </p>
      {[list.error, add.error, release.error, cancel.error].map((error, i) => error !== null && <Fault key={i} error={error} />)}
      {holds.length > 0 && (
        <Sheet aria-label="Holds">
          <TableHeader>
            <Column isRowHeader>Held</Column>
            <Column>Deliveries</Column>
            <Column>Since</Column>
            <Column>Reason</Column>
            <Column>End it</Column>
          </TableHeader>
          <TableBody>
            {holds.map((hold) => (
              <Row key={hold.id} id={hold.id}>
                <Cell>{meantText(hold)}</Cell>
                <Cell data-name="held">{hold.held}</Cell>
                <Cell>
                  <When at={hold.createdAt} />
                </Cell>
                <Cell>
                  {hold.reason}
                  <div>
                    <Small>
                      <Mono>{hold.id}</Mono>
                    </Small>
                  </div>
                </Cell>
                <Cell>
                  <Actions>
                    <Button $quiet aria-label={`Release ${meantText(hold)}`} onPress={() => release.mutate(hold.id)}>
                      Release
                    </Button>
                    <Confirm
                      label="Cancel deliveries"
                      name={`Cancel deliveries of ${meantText(hold)}`}
                      title="Cancel what is held?"
                      words={`What waits of ${meantText(hold)} (${hold.held} held) is canceled and not sent. This cannot be undone.`}
                      action="Cancel them"
                      onConfirm={() => cancel.mutate(hold)}
                    />
                  </Actions>
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Form>
        <Inline
          key={key}
          aria-label="Hold"
          onSubmit={(event) => {
            event.preventDefault();
            const hold = wanted(new FormData(event.currentTarget));
            setIsUnclear(hold === undefined);
            if (hold !== undefined) add.mutate(hold);
          }}
        >
          <Field name="template" label="Template" />
          <Field name="edition" label="Edition" type="number" />
          <Field name="topic" label="Topic" />
          <Field name="domain" label="Recipient domain" />
          <Field name="label" label="Label (name=value)" />
          <Field name="reason" label="Reason" />
          <Everything>
            <input type="checkbox" name="all" /> Everything in the space
          </Everything>
          <Button type="submit">Hold</Button>
        </Inline>
        {isUnclear && <p role="alert">Fill in what is to be held, or tick “Everything in the space”; not both.</p>}
        <Small>Where several fields are filled in, all of them must match.</Small>
      </Form>
    </>
  );
}
