import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useParams, useSearchParams, Link } from 'react-router';
import styled from 'styled-components';
import { Fault, Mono } from '../parts/basics.js';
import { useSession } from '../session.js';
import { useChanges } from './changes.js';
import { ResultPane } from './result-pane.js';
import { SourcePane } from './source-pane.js';
import { useWork, type WorkInput } from './work.js';

const Top = styled.header`
  display: grid;
  gap: 4px;
  margin-bottom: 16px;
`;

const Split = styled.div`
  display: grid;
  gap: 24px;
  grid-template-columns: minmax(0, 1fr);
  @media (min-width: 1100px) {
    grid-template-columns: minmax(0, 5fr) minmax(0, 6fr);
  }
`;

/** One template: its source beside the mail it makes, which follows every sign that is typed or saved. */
export function Template() {
  const { client, space, folder } = useSession();
  const { name = '' } = useParams();
  const [params, setParams] = useSearchParams();
  useChanges();
  const edition = params.get('edition') === null ? undefined : Number(params.get('edition'));
  const { data, error } = useQuery({
    queryKey: ['template', space.name, name, edition],
    queryFn: () => client.templates.get(name, edition === undefined ? {} : { edition }),
    placeholderData: keepPreviousData,
  });
  const set = (changes: Readonly<Record<string, string | undefined>>): void =>
    setParams(
      (before) => {
        const next = new URLSearchParams(before);
        for (const [key, value] of Object.entries(changes)) {
          if (value === undefined) next.delete(key);
          else next.set(key, value);
        }
        return next;
      },
      { replace: true },
    );
  if (error !== null) return <Fault error={error} />;
  if (data === undefined) return <p role="status">Reading the template …</p>;
  return (
    <article>
      <Top>
        <Link to="/write">← Templates</Link>
        <h1>{name}</h1>
        <span>
          {folder === undefined ? `Edition ${data.edition ?? ''}, read only: the source is in your repository` : <Mono>{folder}</Mono>}
        </span>
      </Top>
      <Work key={`${name}/${data.edition ?? ''}`} {...{ template: data, params, set, edition }} />
    </article>
  );
}

/** Created for each template and edition, because what was typed belongs to one of them. */
function Work(input: WorkInput) {
  const work = useWork(input);
  return (
    <Split>
      <SourcePane work={work} />
      <ResultPane work={work} />
    </Split>
  );
}
