import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Provider } from '@verbalis/client';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useState } from 'react';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, StateText, When } from '../parts/basics.js';
import { Field, Inline } from '../parts/form.js';
import { Head, Sheet } from '../parts/list.js';
import { PlainTable } from '../parts/plain-table.js';
import { SaveCsv } from '../parts/save-csv.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';
import { color } from '../style.js';

const REFRESH_MS = 2000;
const STATES: Readonly<Record<Provider['state'], readonly [sign: string, hue: string]>> = {
  working: ['✓', color.good],
  resting: ['✕', color.bad],
  probing: ['…', color.wait],
  stalled: ['✕', color.bad],
  paused: ['‖', color.wait],
};

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

const PROVIDER =
  'providers:\n  relay: { kind: smtp, host: smtp.saltmarsh-ferries.example }\nspaces:\n  harbour: { mode: deliver, route: [relay] }';

const Past = styled.section`
  margin-top: 40px;
`;

const HISTORY = 'type in [provider-trouble, provider-recovered]';

/** What happened to the providers of the space, as its events say it. */
function History() {
  const { client, space } = useSession();
  const { data, error } = useQuery({
    queryKey: ['provider history', space.name],
    queryFn: () => client.events.list({ filter: HISTORY, limit: 20 }),
    refetchInterval: 10_000,
  });
  const events = data?.events ?? [];
  return (
    <Past aria-label="History">
      <h2>History</h2>
      {error !== null && <Fault error={error} />}
      {data !== undefined && events.length === 0 && <p>No provider of this space was in trouble.</p>}
      {events.length > 0 && (
        <PlainTable
          label="History"
          rows={events}
          id={({ id }) => id}
          columns={[
            { title: 'What happened', show: (event) => (event.data as { readonly text?: string }).text ?? event.type },
            { title: 'When', show: ({ time }) => <When at={time} /> },
          ]}
        />
      )}
    </Past>
  );
}

/** What accepts email from the service: its state and why, trying it, pausing it, and what happened to it. */
export function Providers() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const providers = useQuery({ queryKey: ['providers', space.name], queryFn: () => client.providers.list(), refetchInterval: REFRESH_MS });
  const change = useMutation({
    mutationFn: ({ name, pause }: { name: string; pause: boolean }) =>
      pause ? client.providers.pause(name) : client.providers.resume(name),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['providers'] }),
  });
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Providers</h1>
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
      </Head>
      {providers.error !== null && <Fault error={providers.error} />}
      {change.error !== null && <Fault error={change.error} />}
      {(providers.data?.providers.length ?? 0) > 0 && (
        <Sheet aria-label="Providers">
          <TableHeader>
            <Column isRowHeader>Name</Column>
            <Column>Kind</Column>
            <Column>Where</Column>
            <Column isRowHeader>State</Column>
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
                  <StateText $color={STATES[provider.state][1]} data-sign={STATES[provider.state][0]}>
                    {provider.state}
                  </StateText>
                  <Why provider={provider} />
                </Cell>
                <Cell data-name="under way">{provider.underWay}</Cell>
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
      {providers.data?.providers.length === 0 && (
        <Empty title="No provider is configured" command={PROVIDER}>
          A provider accepts email from the service: a mail server (SMTP), an HTTP API, or a file. Add one to verbalis.yaml, name it in the
          route of a space, and reload:
        </Empty>
      )}
      <History />
    </>
  );
}
