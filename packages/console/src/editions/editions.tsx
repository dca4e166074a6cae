import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Cell, Column, Row, TableBody, TableHeader } from 'react-aria-components';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Empty, Fault, Mono, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Choose } from '../parts/choose.js';
import { Difference } from '../parts/editor.js';
import { Head, Sheet } from '../parts/list.js';
import { SaveCsv } from '../parts/save-csv.js';
import { useSession } from '../session.js';
import { PublishFolder } from './publish.js';
import { WriteTabs } from '../workbench/tabs.js';

const Bar = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: end;
  margin: 32px 0 12px;
  h2 {
    flex: 1 0 100%;
  }
`;

const SIGNS = { added: '+ added', changed: '~ changed', removed: '− removed' } as const;
/** Files that can be read as text. */
const TEXT = /\.(?:md|html|txt|json|css|yaml|svg)$/;

const decoded = (bytes: Uint8Array): string => new TextDecoder().decode(bytes);

/** Publications of the space, and what differs between two of them. */
export function Editions() {
  const { client, space, folder } = useSession();
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const list = useQuery({ queryKey: ['editions', space.name], queryFn: () => client.editions.list() });
  const editions = list.data?.editions ?? [];
  const to = Number(params.get('to') ?? editions[0]?.number ?? 0);
  const from = Number(params.get('from') ?? editions[1]?.number ?? 0);
  const diff = useQuery({
    queryKey: ['diff', space.name, from, to],
    queryFn: () => client.editions.diff(from, to),
    enabled: from > 0 && to > 0 && from !== to,
  });
  const changes = diff.data?.changes ?? [];
  const path = params.get('file') ?? changes.find(({ path }) => TEXT.test(path))?.path;
  const change = changes.find((change) => change.path === path);
  const texts = useQuery({
    queryKey: ['diff', space.name, from, to, path],
    queryFn: async () => ({
      before: change?.change === 'added' ? '' : decoded(await client.editions.file(from, path ?? '')),
      after: change?.change === 'removed' ? '' : decoded(await client.editions.file(to, path ?? '')),
    }),
    enabled: change !== undefined && TEXT.test(change.path),
  });
  const use = useMutation({
    mutationFn: (number: number) => client.editions.use({ number }),
    onSuccess: () => queries.invalidateQueries(),
  });
  const set = (name: string, value: string): void => {
    const next = new URLSearchParams(params);
    next.set(name, value);
    if (name !== 'file') next.delete('file');
    setParams(next, { replace: true });
  };
  const numbers = editions.map((edition) => [String(edition.number), `edition ${edition.number}`] as const);
  return (
    <>
      <WriteTabs />
      <Head>
        <h1>Editions</h1>
        {editions.length > 0 && (
          <SaveCsv
            name="editions"
            columns={[
              ['edition', ({ number }) => number],
              ['publishedAt', ({ createdAt }) => createdAt],
              ['files', ({ files }) => files],
            ]}
            all={() => [editions]}
          />
        )}
      </Head>
      {folder === undefined && space.role !== 'viewer' && <PublishFolder />}
      {list.error !== null && <Fault error={list.error} />}
      {use.error !== null && <Fault error={use.error} />}
      {use.isSuccess && <p role="status">Edition {use.variables} is in use now.</p>}
      {list.isSuccess && editions.length === 0 && (
        <Empty title="Nothing is published to this space yet" command="verbalis publish demo/mail">
          An edition is a mail folder as it was published: it never changes, and each message names the one it was made from.
        </Empty>
      )}
      {editions.length > 0 && (
        <Sheet aria-label="Editions">
          <TableHeader>
            <Column isRowHeader>Edition</Column>
            <Column isRowHeader>Published</Column>
            <Column>Files</Column>
            <Column>Use</Column>
          </TableHeader>
          <TableBody>
            {editions.map((edition) => (
              <Row key={edition.number} id={edition.number}>
                <Cell data-name="Edition">{edition.number}</Cell>
                <Cell data-name="Published">
                  <When at={edition.createdAt} />
                </Cell>
                <Cell data-name="Files">{edition.files}</Cell>
                <Cell>
                  {edition.inUse ? (
                    '● in use'
                  ) : (
                    <Confirm
                      label="Use"
                      name={`Use edition ${edition.number}`}
                      title={`Use edition ${edition.number} from now on?`}
                      words="Messages that are accepted from now on are made from it. Those that were accepted before keep their edition."
                      action="Use it"
                      onConfirm={() => use.mutate(edition.number)}
                    />
                  )}
                </Cell>
              </Row>
            ))}
          </TableBody>
        </Sheet>
      )}
      {editions.length > 1 && (
        <section aria-label="Difference">
          <Bar>
            <h2>What differs</h2>
            <Choose label="From" value={String(from)} options={numbers} onChange={(value) => set('from', value)} />
            <Choose label="To" value={String(to)} options={numbers} onChange={(value) => set('to', value)} />
            {changes.length > 0 && (
              <Choose
                label="File"
                value={path ?? ''}
                options={changes.map(({ path, change }) => [path, `${SIGNS[change]}  ${path}`])}
                onChange={(value) => set('file', value)}
              />
            )}
          </Bar>
          {diff.error !== null && <Fault error={diff.error} />}
          {(from === to || (diff.isSuccess && changes.length === 0)) && <p>Nothing: they are the same.</p>}
          {change !== undefined && !TEXT.test(change.path) && (
            <p>
              <Mono>{change.path}</Mono> is not a text file.
            </p>
          )}
          {texts.data !== undefined && change !== undefined && <Difference path={change.path} {...texts.data} />}
        </section>
      )}
    </>
  );
}
