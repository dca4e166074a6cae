import type { Client } from '@verbalis/client';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import styled from 'styled-components';
import { Button, Empty, Fault, Mono, When } from '../parts/basics.js';
import { Confirm } from '../parts/confirm.js';
import { Facts } from '../parts/facts.js';
import { Head } from '../parts/list.js';
import { Part } from '../parts/numbers.js';
import { PlainTable } from '../parts/plain-table.js';
import { SetUpTabs } from '../parts/set-up.js';
import { useSession } from '../session.js';
import { color } from '../style.js';
import { inBytes } from '../words.js';

type ClusterState = Awaited<ReturnType<Client['cluster']['get']>>;

const REFRESH_MS = 2000;
const STATES: Readonly<Record<ClusterState['state'], string>> = {
  off: 'This service is on its own.',
  healthy: 'A standby has every change and can take over.',
  'no-standby': 'No standby could take over: the loss of this machine would stop everything.',
  behind: 'The standby is behind.',
  'broker-missing': 'A broker is missing.',
  'no-primary': 'There is no primary.',
};

const behindText = ({ behind, lagSeconds }: ClusterState['nodes'][number]): string => (behind === 0 ? '0' : `${behind} (${lagSeconds} s)`);

const Standing = styled.p<{ readonly $isGood: boolean }>`
  color: ${({ $isGood }) => ($isGood ? color.good : color.bad)};
  font-weight: 600;
  margin: 0 0 12px;
  &::before {
    content: '${({ $isGood }) => ($isGood ? '✓ ' : '✕ ')}';
  }
`;

/** The nodes of a cluster, and how far each is. */
export function Cluster() {
  const { client } = useSession();
  const queries = useQueryClient();
  const { data, error } = useQuery({ queryKey: ['cluster'], queryFn: () => client.cluster.get(), refetchInterval: REFRESH_MS });
  const drain = useMutation({
    mutationFn: (drained: boolean) => client.cluster.drain({ drained }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['cluster'] }),
  });
  const own = data?.nodes.find(({ node }) => node === data.node);
  const canGiveUp = data?.role === 'primary' && (data.state === 'healthy' || data.state === 'broker-missing');
  return (
    <>
      <SetUpTabs />
      <Head>
        <h1>Cluster</h1>
        {canGiveUp && (
          <Confirm
            label="Give the primary to a standby"
            title="Give the primary to a standby?"
            words={`${data.node ?? 'This node'} finishes what is under way, and a standby goes on. It takes no place any more, until you let it.`}
            action="Give it"
            onConfirm={() => drain.mutate(true)}
          />
        )}
        {own?.takesOver === false && (
          <Button onPress={() => drain.mutate(false)} isDisabled={drain.isPending}>
            Let {own.node} take over again
          </Button>
        )}
      </Head>
      {[error, drain.error].map((fault, i) => fault !== null && <Fault key={i} error={fault} />)}
      {data?.state === 'off' && (
        <Empty title="This service is on its own" command="verbalis cluster init">
          One machine is enough for most. Several that can take over from each other need brokers of NATS JetStream: see Beyond one machine
          in the documentation.
        </Empty>
      )}
      {data !== undefined && data.state !== 'off' && (
        <>
          <Standing role="status" $isGood={data.state === 'healthy' && data.problem === undefined}>
            {data.problem ?? STATES[data.state]}
          </Standing>
          <PlainTable
            label="Nodes"
            rows={data.nodes}
            id={({ node }) => node}
            columns={[
              { title: 'Node', show: ({ node }) => <Mono>{node}</Mono> },
              { title: 'Part', show: ({ role, takesOver }) => (role === 'standby' && !takesOver ? 'standby, only follows' : role) },
              { title: 'Record', show: ({ record }) => String(record) },
              { title: 'Behind', show: behindText },
              { title: 'Version', show: ({ version }) => version },
              { title: 'Address', show: ({ url }) => <Mono>{url ?? ''}</Mono> },
              ...(data.nodes.some(({ problem }) => problem !== undefined)
                ? [{ title: 'Problem', show: ({ problem }: ClusterState['nodes'][number]) => problem ?? '' }]
                : []),
            ]}
          />
          <Part aria-labelledby="primary-and-log">
            <h2 id="primary-and-log">Primary and log</h2>
            <Facts
              facts={[
                ['Primary', data.primary === undefined ? 'none' : <Mono key="primary">{data.primary.node}</Mono>],
                ['Since', data.primary === undefined ? undefined : <When key="since" at={data.primary.since} />],
                [
                  'Log',
                  data.log === undefined
                    ? undefined
                    : `records ${data.log.first} to ${data.log.last}, ${inBytes(data.log.bytes)} of ${inBytes(data.log.mostBytes)}`,
                ],
                ['Brokers', data.log === undefined ? undefined : `${data.log.present} of ${data.log.replicas} have the log`],
                [
                  'Snapshot',
                  data.snapshot === undefined ? undefined : (
                    <span key="snapshot">
                      <When at={data.snapshot.asOf} />, record {data.snapshot.record}, {inBytes(data.snapshot.bytes)}
                    </span>
                  ),
                ],
                ['Workers', data.workers?.map(({ worker, underWay }) => `${worker} (${underWay} under way)`).join(', ') || undefined],
              ]}
            />
          </Part>
        </>
      )}
    </>
  );
}
