import type { AuditEntry, Client } from '@verbalis/client';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, When } from '../parts/basics.js';
import { Field, Inline, Small } from '../parts/form.js';
import { Head } from '../parts/list.js';
import { PlainTable } from '../parts/plain-table.js';
import { SaveCsv } from '../parts/save-csv.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';

const PAGE = 50;
const MOST_SHOWN = 160;

const Change = styled.code`
  display: block;
  font-size: 13px;
  overflow-wrap: anywhere;
`;

const Filters = styled.div`
  margin-bottom: 20px;
`;

function changeText(change: AuditEntry['change']): string {
  const text = change === undefined ? '' : JSON.stringify(change);
  return text.length > MOST_SHOWN ? `${text.slice(0, MOST_SHOWN)}…` : text;
}

type Filter = NonNullable<Parameters<Client['audit']['list']>[0]>;

async function* pagesOf(client: Client, filter: Filter): AsyncIterable<readonly AuditEntry[]> {
  for (let cursor: string | undefined, first = true; first || cursor !== undefined; first = false) {
    const page = await client.audit.list({ ...filter, limit: 200, ...(cursor === undefined ? {} : { cursor }) });
    cursor = page.nextCursor;
    yield page.entries;
  }
}

/** Who did what. */
export function Audit() {
  const { client, space, operator } = useSession();
  const [params, setParams] = useSearchParams();
  const text = (name: string): string => params.get(name) ?? '';
  const isWhole = operator && text('of') === 'service';
  const filter: Filter = {
    ...(isWhole ? { of: 'service' as const } : {}),
    ...Object.fromEntries(['who', 'action', 'target'].flatMap((name) => (text(name) === '' ? [] : [[name, text(name)]]))),
  };
  const { data, error, hasNextPage, fetchNextPage, isFetching } = useInfiniteQuery({
    queryKey: ['audit', space.name, filter],
    queryFn: ({ pageParam }) => client.audit.list({ ...filter, limit: PAGE, ...(pageParam === '' ? {} : { cursor: pageParam }) }),
    initialPageParam: '',
    getNextPageParam: ({ nextCursor }) => nextCursor,
  });
  const entries = data?.pages.flatMap((page) => page.entries) ?? [];
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Audit log</h1>
        {entries.length > 0 && (
          <SaveCsv
            name="audit"
            columns={[
              ['at', ({ at }) => at],
              ['who', ({ who }) => who.name],
              ['action', ({ action }) => action],
              ['space', (entry) => entry.space ?? ''],
              ['target', ({ target }) => target ?? ''],
              ['change', ({ change }) => (change === undefined ? '' : JSON.stringify(change))],
              ['address', ({ address }) => address],
            ]}
            all={() => pagesOf(client, filter)}
          />
        )}
      </Head>
      <Filters>
        <Inline
          key={params.toString()}
          role="search"
          aria-label="Entries"
          onSubmit={(event) => {
            event.preventDefault();
            const form = new FormData(event.currentTarget);
            const next = [...form.entries()].flatMap(([name, value]) =>
              typeof value === 'string' && value.trim() !== '' ? [[name, value.trim()]] : [],
            );
            setParams(Object.fromEntries(next) as Record<string, string>);
          }}
        >
          <Field name="who" label="Who" value={text('who')} />
          <Field name="action" label="Did (keys.revoke, or keys. for all)" value={text('action')} />
          <Field name="target" label="To what (an id)" value={text('target')} />
          {operator && (
            <label>
              <input type="checkbox" name="of" value="service" defaultChecked={isWhole} /> the whole service
            </label>
          )}
          <Button type="submit">Show</Button>
        </Inline>
      </Filters>
      {error !== null && <Fault error={error} />}
      {data !== undefined && entries.length === 0 && (
        <Empty title="No entries" command={`verbalis audit --space ${space.name}`}>
          Every change has an entry here, and so has every look at what an email says in a space that delivers.
        </Empty>
      )}
      {entries.length > 0 && (
        <PlainTable
          label="Audit log"
          rows={entries}
          id={({ seq }) => String(seq)}
          columns={[
            { title: 'When', isWhole: true, show: ({ at }) => <When at={at} /> },
            { title: 'Who', show: ({ who }) => <>{who.kind === 'key' ? `key ${who.name}` : who.name}</> },
            {
              title: 'Did',
              show: ({ action, summary }) => (
                <>
                  <Mono>{action}</Mono> <Small>{summary}</Small>
                </>
              ),
            },
            ...(isWhole ? [{ title: 'Space', show: (entry: AuditEntry) => entry.space ?? '' }] : []),
            {
              title: 'To what, and how',
              show: ({ target, change }) => (
                <>
                  {target !== undefined && <Mono>{target}</Mono>} <Change>{changeText(change)}</Change>
                </>
              ),
            },
            { title: 'From', isWhole: true, show: ({ address }) => <Mono>{address}</Mono> },
          ]}
        />
      )}
      {hasNextPage && (
        <p>
          <Button $quiet onPress={() => void fetchNextPage()} isDisabled={isFetching}>
            Older entries
          </Button>
        </p>
      )}
    </>
  );
}
