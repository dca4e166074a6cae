import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Input, Label, Row, TableBody, TableHeader } from 'react-aria-components';
import styled from 'styled-components';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { Button, Empty, Fault, Mono } from '../parts/basics.js';
import { Head, Search, Sheet } from '../parts/list.js';
import { SaveCsv } from '../parts/save-csv.js';
import { Attention } from '../parts/attention.js';
import { writeMatters } from '../parts/matters.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { useChanges } from './changes.js';
import { ProblemCount, Problems } from './problems.js';
import { WriteTabs } from './tabs.js';

const Soft = styled.span`
  color: ${color.soft};
`;

/** Rows that are shown initially; in larger folders people search by name. */
const MOST_ROWS = 60;

const Shared = styled.section`
  margin-top: 32px;
`;

/** All templates with their state: of the edition in use, or of the folder being edited. */
export function Templates() {
  const { client, space, folder } = useSession();
  useChanges();
  const { data, error } = useQuery({ queryKey: ['templates', space.name], queryFn: () => client.templates.list(), retry: false });
  const [params, setParams] = useSearchParams();
  const find = params.get('find') ?? '';
  const [whole, setWhole] = useState(false);
  const fitting = data?.templates.filter((template) => template.name.includes(find)) ?? [];
  const shown = whole ? fitting : fitting.slice(0, MOST_ROWS);
  const look = (text: string): void => setParams(text === '' ? {} : { find: text }, { replace: true });
  const missing = error !== null && /published/.test(error.message);
  return (
    <>
      <WriteTabs />
      <Head>
        <h1>Templates</h1>
        {data !== undefined && (
          <Soft>
            {folder === undefined ? `Edition ${data.edition ?? ''}, in use in ${space.name}` : <Mono>{folder}</Mono>}
            {data.editable ? ', may be written here' : ''}
          </Soft>
        )}
        {fitting.length > 0 && (
          <SaveCsv
            name="templates"
            columns={[
              ['template', ({ name }) => name],
              ['topic', ({ topic }) => topic],
              ['errors', ({ errors }) => errors],
              ['warnings', ({ warnings }) => warnings],
              ['locales', ({ locales }) => locales.join(' ')],
              ['samples', ({ samples }) => samples.join(' ')],
            ]}
            all={() => [fitting]}
          />
        )}
        {(data?.templates.length ?? 0) > MOST_ROWS && (
          <Search value={find} onChange={look}>
            <Label>Name</Label>
            <Input placeholder="booking" />
          </Search>
        )}
      </Head>
      {error !== null && !missing && <Fault error={error} />}
      {missing && (
        <Empty title="Nothing is published to this space yet" command={'verbalis preview demo/mail\nverbalis publish demo/mail'}>
          Templates, layouts and theme are in a mail folder in your repository, with a data schema and samples beside each template. The
          preview shows them as you write, without a service; publishing makes them this space’s edition.
        </Empty>
      )}
      <Attention matters={writeMatters(data)} />
      {data !== undefined && (
        <Sheet aria-label="Templates">
          <TableHeader>
            <Column isRowHeader>Template</Column>
            <Column isRowHeader>State</Column>
            <Column>Topic</Column>
            <Column>Locales</Column>
            <Column>Samples</Column>
          </TableHeader>
          <TableBody>
            {shown.map((template) => (
              <Row key={template.name} id={template.name} href={`/write/templates/${template.name}`}>
                <Cell>
                  <Mono>{template.name}</Mono>
                </Cell>
                <Cell>{template.checked ? <ProblemCount {...template} /> : <Soft>… being looked at</Soft>}</Cell>
                <Cell>{template.topic ?? <Soft>none</Soft>}</Cell>
                <Cell>
                  {template.locales.join(', ')}
                  {template.untranslated.length > 0 && <Soft> without {template.untranslated.join(', ')}</Soft>}
                </Cell>
                <Cell>{template.samples.length === 0 ? <Soft>none</Soft> : template.samples.join(', ')}</Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      {shown.length < fitting.length && (
        <p>
          <br />
          <Button $quiet onPress={() => setWhole(true)}>
            Show all {fitting.length}
          </Button>
        </p>
      )}
      {(data?.problems.length ?? 0) > 0 && (
        <Shared>
          <h2>What the templates share</h2>
          <Problems problems={data?.problems ?? []} />
        </Shared>
      )}
    </>
  );
}
