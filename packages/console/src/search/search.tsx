import { useQuery } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Empty, Fault, Mono, StateWord, When } from '../parts/basics.js';
import { Head, Sheet } from '../parts/list.js';
import { SaveCsv } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { font } from '../style.js';

const Subject = styled.span.attrs({ dir: 'auto' })`
  overflow-wrap: anywhere;
  font-family: ${font.serif};
`;

const WHERE = {
  message: '/track/messages/',
  captured: '/try/',
  return: '/track/returns/',
  inbound: '/track/inbound/',
  suppression: '/track/suppressions?find=',
  template: '/write/templates/',
  domain: '/set-up/domains/',
  person: '/set-up/people?of=',
} as const;

/** What is found by its name. */
const NAMED = new Set(['template', 'domain']);

/** Whatever fits: messages, captured mail, returns, inbound mail and suppressions by address, id, reference or subject. */
export function Search() {
  const { client, space } = useSession();
  const [params] = useSearchParams();
  const q = params.get('q') ?? '';
  const { data, error } = useQuery({ queryKey: ['search', space.name, q], queryFn: () => client.search.find({ q }), enabled: q !== '' });
  const hits = data?.hits ?? [];
  return (
    <>
      <Head>
        <h1>“{q}”</h1>
        {hits.length > 0 && (
          <SaveCsv
            name="found"
            columns={[
              ['kind', ({ kind }) => kind],
              ['id', ({ id }) => id],
              ['address', ({ address }) => address],
              ['at', ({ at }) => at],
            ]}
            all={() => [hits]}
          />
        )}
      </Head>
      {error !== null && <Fault error={error} />}
      {data !== undefined && hits.length === 0 && (
        <Empty title="Nothing fits" command={`verbalis messages list --address ${q.includes('@') ? q : 'ADDRESS'}`}>
          An address or its beginning, an id, a reference, the name of a template or a sending domain are found; of the newest{' '}
          {data.subjectsOf.toLocaleString('en')} messages also words of the subject, a recipient’s domain, a cause (mailbox-full) and a code
          (550, 5.1.1). Only the space {space.name} is searched.
        </Empty>
      )}
      {hits.length > 0 && (
        <Sheet aria-label="Found">
          <TableHeader>
            <Column isRowHeader>What</Column>
            <Column isRowHeader>Who</Column>
            <Column isRowHeader>Subject</Column>
            <Column>State</Column>
            <Column>When</Column>
          </TableHeader>
          <TableBody>
            {hits.map((hit) => (
              <Row
                key={`${hit.kind}${hit.id}${hit.address ?? ''}`}
                id={`${hit.kind}${hit.id}${hit.address ?? ''}`}
                href={`${WHERE[hit.kind]}${hit.kind === 'suppression' ? (hit.address ?? '') : hit.id}`}
              >
                <Cell>{hit.kind}</Cell>
                <Cell>
                  <Mono>{hit.address ?? (NAMED.has(hit.kind) ? hit.id : '')}</Mono>
                </Cell>
                <Cell>
                  <Subject>{hit.title}</Subject>
                </Cell>
                <Cell>{hit.state === undefined ? '' : <StateWord state={hit.state} />}</Cell>
                <Cell>{hit.at !== undefined && <When at={hit.at} />}</Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
    </>
  );
}
