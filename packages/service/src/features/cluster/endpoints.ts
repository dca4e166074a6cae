import { endpointsOf, json, optionalJsonBody, Refusal, Reply, type Listeners } from '../../kernel/index.js';
import { ClusterView, DrainRequest, DrainView, PromotionView } from './model.js';
import type * as z from 'zod';

/** What a node can be asked; undefined where the service is on its own. */
export interface ClusterNode {
  readonly status: () => Promise<z.infer<typeof ClusterView>>;
  /** Makes this node the primary. @throws Refusal where it cannot be */
  readonly promote: () => Promise<string>;
  readonly drain: (isDrained: boolean) => void;
  /** What an operator must know, in a sentence; undefined where all is well. */
  readonly trouble: () => string | undefined;
  /** Calls back when there is trouble, or none any more. */
  readonly onChange: Listeners['add'];
  readonly measures: () => ClusterMeasures;
}

/** What metrics show of a node. */
export interface ClusterMeasures {
  readonly isPrimary: boolean;
  readonly lagRecords: number;
  readonly lagSeconds: number;
  /** Standbys that were heard of lately. */
  readonly standbys: number;
  /** For how long it has not been known whether the last changes are stored. */
  readonly doubtSeconds: number;
}

export interface ClusterEndpoints {
  readonly node: ClusterNode | undefined;
}

const endpoint = endpointsOf<ClusterEndpoints>();

const get = endpoint({
  name: 'cluster.get',
  method: 'get',
  path: '/v1/cluster',
  summary: 'The nodes of the cluster, and how far each is',
  scope: 'operator',
  isForService: true,
  answers: { 200: json('The state of the cluster.', ClusterView) },
  refusals: { 503: 'The brokers do not answer.' },
  run: async (_call, { node }) => (node === undefined ? { state: 'off' as const, nodes: [] } : node.status()),
});

function needed({ node }: ClusterEndpoints): ClusterNode {
  if (node === undefined)
    throw new Refusal(409, 'no-cluster', 'This service is not part of a cluster', { hint: 'Set cluster.servers (docs/cluster.md).' });
  return node;
}

const promote = endpoint({
  name: 'cluster.promote',
  method: 'post',
  path: '/v1/cluster/promote',
  summary: 'Make the node that is asked the primary',
  description: 'The primary finishes what is under way and gives its place to this node, which has every record by then.',
  scope: 'operator',
  isForService: true,
  isForStandby: true,
  answers: { 202: json('It will be.', PromotionView) },
  refusals: { 409: 'There is no cluster, or the node is drained or is the primary already.' },
  isRepeatable: true,
  run: async (_call, context) => new Reply({ wanted: await needed(context).promote() }, { status: 202 }),
});

const drain = endpoint({
  name: 'cluster.drain',
  method: 'post',
  path: '/v1/cluster/drain',
  summary: 'Take the node that is asked out of turn, or let it take over again',
  description:
    'A primary gives its place to a standby. The node goes on following, and never takes over, until it is asked again or restarted.',
  scope: 'operator',
  isForService: true,
  isForStandby: true,
  body: optionalJsonBody(DrainRequest),
  answers: { 202: json('It is.', DrainView) },
  refusals: { 409: 'There is no cluster.' },
  isRepeatable: true,
  run({ body: { drained } }, context) {
    needed(context).drain(drained);
    return new Reply({ drained }, { status: 202 });
  },
});

/** The cluster, as one of its nodes sees it. */
export const clusterEndpoints = [get, promote, drain];
