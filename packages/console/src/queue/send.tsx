import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Provider } from '@verbalis/client';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useState } from 'react';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, When } from '../parts/basics.js';
import { Field, Inline } from '../parts/form.js';
import { SendTabs, Sheet } from '../parts/list.js';
import { SaveCsv } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { Holds } from './holds.js';

const REFRESH_MS = 2000;

const Section = styled.section`
  margin: 24px 0 40px;
`;

const Reason = styled.div`
  color: ${color.soft};
  font-size: 15px;
  max-width: 42ch;
`;

/** Why a provider is not working, since when, and when it is tried again. */
function Why({ provider: { why, since, until } }: { readonly provider: Provider }) {
  if (why === undefined) return null;
  return (
    <Reason>
      {why}
      <br />
      {since !== undefined && (
        <>
          Began <When at={since} />
        </>
      )}
      {until !== undefined && (
        <>
          {' '}
          · tried again <When at={until} />
        </>
      )}
    </Reason>
  );
}

/** Tries a provider: whether it can be reached and takes what it is given. */
function TestProvider({ name }: { readonly name: string }) {
  const { client, operator } = useSession();
  const [isOpen, setIsOpen] = useState(false);
  const test = useMutation({ mutationFn: (to: string) => client.providers.test(name, to === '' ? {} : { to }) });
  if (!operator) return null;
  return (
    <>
      {' '}
      <Button $quiet aria-label={`Test ${name}`} aria-expanded={isOpen} onPress={() => setIsOpen(!isOpen)}>
        Test
      </Button>
      {isOpen && (
        <Inline
          aria-label={`Test ${name}`}
          onSubmit={(event) => {
            event.preventDefault();
            const to = new FormData(event.currentTarget).get('to');
            test.mutate(typeof to === 'string' ? to.trim() : '');
          }}
        >
          <Field name="to" label="Send a test to (left out: it is only asked)" />
          <Button type="submit" isDisabled={test.isPending}>
            Test it
          </Button>
        </Inline>
      )}
      {test.error !== null && <Fault error={test.error} />}
      {test.data !== undefined && (
        <p role="status">
          {test.data.ok ? '✓ It works.' : '✕ It does not work.'}{' '}
          {test.data.findings
            .map(({ step, ok, detail, hint }) => `${ok ? '✓' : '✕'} ${step}: ${detail}${hint === undefined ? '' : ` ${hint}`}`)
            .join('; ')}
        </p>
      )}
    </>
  );
}

/** What waits, and the providers that it is sent through. */
export function Send() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const queue = useQuery({ queryKey: ['queue', space.name], queryFn: () => client.queue.get(), refetchInterval: REFRESH_MS });
  const providers = useQuery({ queryKey: ['providers', space.name], queryFn: () => client.providers.list(), refetchInterval: REFRESH_MS });
  const change = useMutation({
    mutationFn: ({ name, pause }: { name: string; pause: boolean }) =>
      pause ? client.providers.pause(name) : client.providers.resume(name),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['providers'] }),
  });
  const lines = queue.data?.topics ?? [];
  return (
    <>
      <SendTabs />
      <h1>Send</h1>
      <Section aria-label="Queue">
        <h2>Queue</h2>
        {queue.error !== null && <Fault error={queue.error} />}
        {queue.isSuccess && lines.length === 0 && (
          <Empty title="Nothing waits" command={"verbalis send booking-confirmed --to 'Ása <asa@post.example>' --data booking.json --wait"}>
            The app asks with POST /v1/messages; 202 means that the message is on the disk and ends in one state for each recipient. The
            same from the command line:
          </Empty>
        )}
        {lines.length > 0 && (
          <SaveCsv
            name="queue"
            columns={[
              ['topic', ({ topic }) => topic],
              ['priority', ({ priority }) => priority],
              ['state', ({ state }) => state],
              ['waiting', ({ waiting }) => waiting],
              ['due', ({ due }) => due],
              ['held', ({ held }) => held],
              ['oldest', ({ oldest }) => oldest],
            ]}
            all={() => [lines]}
          />
        )}
        {lines.length > 0 && (
          <Sheet aria-label="Queue">
            <TableHeader>
              <Column isRowHeader>Topic</Column>
              <Column>Priority</Column>
              <Column>State</Column>
              <Column>Waiting</Column>
              <Column>Due</Column>
              <Column>Held</Column>
              <Column>Oldest</Column>
            </TableHeader>
            <TableBody>
              {lines.map((line) => (
                <Row key={`${line.priority}/${line.topic ?? ''}/${line.state}`} id={`${line.priority}/${line.topic ?? ''}/${line.state}`}>
                  <Cell>{line.topic ?? '(none)'}</Cell>
                  <Cell>{line.priority}</Cell>
                  <Cell>{line.state}</Cell>
                  <Cell data-name="waiting">{line.waiting}</Cell>
                  <Cell data-name="due">{line.due}</Cell>
                  <Cell data-name="held">{line.held}</Cell>
                  <Cell>
                    <When at={line.oldest} />
                  </Cell>
                </Row>
              ))}
            </TableBody>
          </Sheet>
        )}
      </Section>
      <Section aria-label="Holds">
        <Holds />
      </Section>
      <Section aria-label="Providers">
        <h2>Providers</h2>
        {providers.error !== null && <Fault error={providers.error} />}
        {change.error !== null && <Fault error={change.error} />}
        {(providers.data?.providers.length ?? 0) > 0 && (
          <SaveCsv
            name="providers"
            columns={[
              ['name', ({ name }) => name],
              ['kind', ({ kind }) => kind],
              ['where', ({ where }) => where],
              ['state', ({ state }) => state],
              ['why', ({ why }) => why],
              ['since', ({ since }) => since],
              ['tried again', ({ until }) => until],
              ['under way', ({ underWay }) => underWay],
            ]}
            all={() => [providers.data?.providers ?? []]}
          />
        )}
        {(providers.data?.providers.length ?? 0) > 0 && (
          <Sheet aria-label="Providers">
            <TableHeader>
              <Column isRowHeader>Name</Column>
              <Column>Kind</Column>
              <Column>Where</Column>
              <Column>State</Column>
              <Column>Under way</Column>
              <Column>Pause</Column>
            </TableHeader>
            <TableBody>
              {(providers.data?.providers ?? []).map((provider) => (
                <Row key={provider.name} id={provider.name}>
                  <Cell>{provider.name}</Cell>
                  <Cell>{provider.kind}</Cell>
                  <Cell>
                    <Mono>{provider.where}</Mono>
                  </Cell>
                  <Cell>
                    {provider.state}
                    <Why provider={provider} />
                  </Cell>
                  <Cell>{provider.underWay}</Cell>
                  <Cell>
                    <Button
                      $quiet
                      aria-label={`${provider.state === 'paused' ? 'Resume' : 'Pause'} ${provider.name}`}
                      onPress={() => change.mutate({ name: provider.name, pause: provider.state !== 'paused' })}
                    >
                      {provider.state === 'paused' ? 'Resume' : 'Pause'}
                    </Button>
                    <TestProvider name={provider.name} />
                  </Cell>
                </Row>
              ))}
            </TableBody>
          </Sheet>
        )}
      </Section>
    </>
  );
}
