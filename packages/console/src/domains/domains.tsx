import { RefusedError, type DomainView } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useNavigate } from 'react-router';
import { Button, Empty, Fault, When } from '../parts/basics.js';
import { Field, Section } from '../parts/form.js';
import { Head, Sheet } from '../parts/list.js';
import { SaveCsv, type CsvColumn } from '../parts/save-csv.js';
import { SetUpTabs } from '../parts/set-up.js';
import { Attention } from '../parts/attention.js';
import { useSetUpMatters } from '../parts/matters.js';
import { useSession } from '../session.js';
import { DomainState, summaryOf } from './words.js';

const CSV: readonly CsvColumn<DomainView>[] = [
  ['domain', (domain) => domain.name],
  ['state', (domain) => domain.state],
  ['signing', (domain) => String(domain.signing)],
  ['returnHost', (domain) => domain.returnHost],
  ['checkedAt', (domain) => domain.checkedAt ?? ''],
];

function Add() {
  const { client } = useSession();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const add = useMutation({
    mutationFn: (name: string) => client.domains.add({ name }),
    onSuccess: async ({ name }) => {
      await queries.invalidateQueries({ queryKey: ['domains'] });
      void navigate(`/set-up/domains/${name}`);
    },
  });
  return (
    <Section
      aria-label="Add a domain"
      onSubmit={(event) => {
        event.preventDefault();
        const name = new FormData(event.currentTarget).get('name');
        if (typeof name === 'string') add.mutate(name.trim());
      }}
    >
      <h2>Add a domain</h2>
      <Field name="name" label="Domain that email is sent as" required />
      <div>
        <Button type="submit">Add</Button>
      </div>
      {add.error !== null && <Fault error={add.error} />}
    </Section>
  );
}

/** Sending domains, and how each is. */
export function Domains() {
  const { client } = useSession();
  const matters = useSetUpMatters();
  const { data, error } = useQuery({
    queryKey: ['domains'],
    queryFn: async () => (await client.domains.list()).domains,
    refetchInterval: 5000,
  });
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Domains</h1>
        {(data?.length ?? 0) > 0 && <SaveCsv name="domains" columns={CSV} all={() => [data ?? []]} />}
      </Head>
      {error !== null && !(error instanceof RefusedError && error.problem.status === 403) && <Fault error={error} />}
      <Attention matters={matters} />
      {data?.length === 0 && (
        <Empty title="No domains yet" command="verbalis domains add saltmarsh-ferries.example">
          A domain that email is sent as needs a few records in the DNS. Add it to get its keys and the records; they are then checked until
          all are right, and watched from then on.
        </Empty>
      )}
      {(data?.length ?? 0) > 0 && (
        <Sheet aria-label="Domains">
          <TableHeader>
            <Column isRowHeader>Domain</Column>
            <Column isRowHeader>State</Column>
            <Column>Signing</Column>
            <Column>What to do</Column>
            <Column>Checked</Column>
          </TableHeader>
          <TableBody>
            {(data ?? []).map((domain) => (
              <Row key={domain.name} id={domain.name} href={`/set-up/domains/${domain.name}`}>
                <Cell>{domain.name}</Cell>
                <Cell>
                  <DomainState state={domain.state} />
                </Cell>
                <Cell data-name="signing">{domain.signing ? 'yes' : 'not yet'}</Cell>
                <Cell>{domain.state === 'right' ? 'Nothing' : summaryOf(domain)}</Cell>
                <Cell data-name="checked">{domain.checkedAt === undefined ? 'never' : <When at={domain.checkedAt} />}</Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      <Add />
    </>
  );
}
