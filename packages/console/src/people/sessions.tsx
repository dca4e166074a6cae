import type { OpenSession } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import styled from 'styled-components';
import { Fault, Mono, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Small } from '../parts/form.js';
import { PlainTable } from '../parts/plain-table.js';
import { useSession } from '../session.js';

const Block = styled.section`
  margin-top: 40px;
  display: grid;
  gap: 12px;
`;

const WAYS: Readonly<Record<OpenSession['way'], string>> = { secret: 'operator’s secret', link: 'link', openid: 'OpenID Connect' };

/** What a browser is, in two words: "Chrome on Linux". */
function browserName(agent: string): string {
  const browser = /(Edg|Firefox|Chrome|Safari)\//.exec(agent)?.[1]?.replace('Edg', 'Edge');
  const system = /(Windows|Android|iPhone|iPad|Mac OS X|Linux)/.exec(agent)?.[1]?.replace('Mac OS X', 'macOS');
  if (browser === undefined) return agent.slice(0, 30) || 'unknown';
  return system === undefined ? browser : `${browser} on ${system}`;
}

function End({ session }: { readonly session: OpenSession }) {
  const { client } = useSession();
  const queries = useQueryClient();
  const end = useMutation({
    mutationFn: () => client.sessions.end(session.id),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['sessions'] }),
  });
  const who = session.person ?? 'the operator’s secret';
  if (session.own) return <Small>This one</Small>;
  return (
    <>
      <Confirm
        label="End"
        name={`End the session of ${who}, ${browserName(session.browser)}`}
        title={`End the session of ${who}?`}
        words="Its next request is refused, and what it follows live ends within a second."
        action="End"
        onConfirm={() => end.mutate()}
      />
      {end.error !== null && <Fault error={end.error} />}
    </>
  );
}

/** Sessions that are open: one's own, or those of everybody. */
export function Sessions() {
  const { client } = useSession();
  const { data, error } = useQuery({ queryKey: ['sessions'], queryFn: () => client.sessions.list(), refetchInterval: 10_000 });
  return (
    <Block aria-label="Open sessions">
      <h2>Open sessions</h2>
      {error !== null && <Fault error={error} />}
      {data !== undefined && (
        <PlainTable
          label="Open sessions"
          rows={data.sessions}
          id={({ id }) => id}
          columns={[
            { title: 'Who', show: ({ person }) => (person === undefined ? 'Operator’s secret' : <Mono>{person}</Mono>) },
            { title: 'Signed in by', show: ({ way }) => WAYS[way] },
            { title: 'Browser', show: ({ browser }) => browserName(browser) },
            { title: 'From', show: ({ address }) => <Mono>{address}</Mono> },
            { title: 'Last seen', show: ({ lastSeenAt }) => <When at={lastSeenAt} /> },
            { title: 'End', isQuiet: true, show: (session) => <End session={session} /> },
          ]}
        />
      )}
    </Block>
  );
}
