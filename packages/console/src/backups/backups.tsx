import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Button, Empty, Fault, Mono, When } from '../parts/basics.js';
import { Facts } from '../parts/facts.js';
import { Head } from '../parts/list.js';
import { PlainTable } from '../parts/plain-table.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';
import { inBytes } from '../words.js';

const REFRESH_MS = 5000;
const COPYING = {
  off: 'off',
  'first-snapshot': 'the first snapshot is being made; nothing can be restored yet',
  copying: 'every change, within a second',
  behind: 'behind',
} as const;

/** Backups of the database, and continuous copies. */
export function Backups() {
  const { client } = useSession();
  const queries = useQueryClient();
  const backups = useQuery({ queryKey: ['backups'], queryFn: () => client.backups.list(), refetchInterval: REFRESH_MS });
  const copies = useQuery({ queryKey: ['copies'], queryFn: () => client.copies.get(), refetchInterval: REFRESH_MS });
  const make = useMutation({
    mutationFn: () => client.backups.add(),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['backups'] }),
  });
  const { data } = backups;
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Backups</h1>
        {data?.folder !== undefined && (
          <Button onPress={() => make.mutate()} isDisabled={make.isPending}>
            {make.isPending ? 'Making one …' : 'Make one now'}
          </Button>
        )}
      </Head>
      {[backups.error, copies.error, make.error].map((error, i) => error !== null && <Fault key={i} error={error} />)}
      {data?.problem !== undefined && <Fault error={new Error(data.problem)} />}
      {data !== undefined && data.folder === undefined && (
        <Empty title="No backups are made" command="backup: { folder: backups, everyHours: 24, keep: 7 }">
          Set a folder in verbalis.yaml, best on another disk. A backup by hand: <code>verbalis backup FILE</code>, also while the service
          runs.
        </Empty>
      )}
      {data?.folder !== undefined && (
        <Facts
          facts={[
            ['Folder', <Mono key="folder">{data.folder}</Mono>],
            ['Made', data.everyHours === 0 ? 'when you ask' : `every ${data.everyHours} hours, the last ${data.keep} are kept`],
          ]}
        />
      )}
      {data !== undefined && data.backups.length > 0 && (
        <PlainTable
          label="Backups"
          rows={[...data.backups].reverse()}
          id={({ file }) => file}
          columns={[
            { title: 'File', show: ({ file }) => <Mono>{file}</Mono> },
            { title: 'As of', show: ({ asOf }) => <When at={asOf} /> },
            { title: 'Size', show: ({ bytes }) => inBytes(bytes) },
            { title: 'SHA-256', show: ({ sha256 }) => <Mono>{sha256.slice(0, 16)}…</Mono> },
          ]}
        />
      )}
      <section aria-label="Continuous copies">
        <h2>Continuous copies</h2>
        {copies.data !== undefined && (
          <Facts
            facts={[
              ['State', COPYING[copies.data.state]],
              ['Folder', copies.data.folder === undefined ? 'none: set copies.folder' : <Mono key="folder">{copies.data.folder}</Mono>],
              ['Behind', copies.data.state === 'off' ? undefined : `${copies.data.behind} groups of changes, ${copies.data.lagSeconds} s`],
              ['Risk', copies.data.onSameDisk ? 'the folder is on the disk of the database, and would be lost with it' : undefined],
              ['Problem', copies.data.problem],
            ]}
          />
        )}
      </section>
    </>
  );
}
