import { Gauge } from 'prom-client';
import { listeners, serve, type Feature, type Listeners, type Runtime } from '../../kernel/index.js';
import { clusterEndpoints, type ClusterMeasures, type ClusterNode } from './endpoints.js';

/** This service as a node of a cluster, for what people look at. */
export interface ClusterFeature {
  /** What an operator must know, in a sentence; undefined where all is well, or there is no cluster. */
  readonly trouble: () => string | undefined;
  readonly onChange: Listeners['add'];
  readonly feature: Feature;
}

const GAUGES: readonly (readonly [name: string, help: string, value: (measures: ClusterMeasures) => number])[] = [
  ['verbalis_cluster_primary', '1 where this node is the primary', ({ isPrimary }) => (isPrimary ? 1 : 0)],
  ['verbalis_cluster_standbys', 'Standbys that were heard of in the last 15 seconds', ({ standbys }) => standbys],
  ['verbalis_cluster_lag_records', 'Records of the log that this node lacks', ({ lagRecords }) => lagRecords],
  ['verbalis_cluster_lag_seconds', 'Age of the last record that this node has, where it lacks some', ({ lagSeconds }) => lagSeconds],
  [
    'verbalis_cluster_doubt_seconds',
    'For how long it has not been known whether the last changes are stored by the brokers',
    ({ doubtSeconds }) => doubtSeconds,
  ],
];

/** @param node undefined where the service is on its own */
export function openClusterNode({ registry }: Runtime, node: ClusterNode | undefined): ClusterFeature {
  if (node !== undefined)
    for (const [name, help, value] of GAUGES)
      new Gauge({
        name,
        help,
        registers: [registry],
        collect() {
          this.set(value(node.measures()));
        },
      });
  return {
    trouble: () => node?.trouble(),
    onChange: node?.onChange ?? listeners().add,
    feature: { name: 'cluster', endpoints: serve(clusterEndpoints, { node }) },
  };
}
