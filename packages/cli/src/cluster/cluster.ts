import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';
import { bytesText } from '../words.js';

type Status = Awaited<ReturnType<Client['cluster']['get']>>;

const STATES: Readonly<Record<Status['state'], string>> = {
  off: 'This service is on its own: cluster.servers is not set.',
  healthy: 'A standby has every change and can take over.',
  'no-standby': 'No standby could take over.',
  behind: 'The standby is behind.',
  'broker-missing': 'A broker is missing.',
  'no-primary': 'There is no primary. A standby takes over within seconds, where there is one.',
};

function nodeTable({ nodes, node: asked }: Status, output: Output): string {
  return tableText(
    [
      { title: 'node' },
      { title: 'part' },
      { title: 'record', right: true },
      { title: 'behind', right: true },
      { title: 'version' },
      { title: 'address' },
    ],
    nodes.map(({ node, role, record, behind, lagSeconds, version, url, takesOver }) => [
      node === asked ? `${node} (asked)` : node,
      role === 'standby' && !takesOver ? 'standby, only follows' : role,
      String(record),
      behind === 0 ? '0' : `${behind} (${lagSeconds} s)`,
      version,
      url ?? '',
    ]),
    output.color,
  );
}

/** The nodes, and how far each is. @returns 1 where the cluster could not bear a loss */
export async function status(client: Client, output: Output): Promise<ExitCode> {
  const found = await client.cluster.get();
  const { color } = output;
  const { state, nodes, log, snapshot, workers, problem } = found;
  const isGood = state === 'healthy';
  const lines = [`${isGood ? color.green('✓') : color.red('✗')} ${problem ?? STATES[state]}`];
  if (nodes.length > 0) lines.push('', nodeTable(found, output));
  for (const node of nodes) if (node.problem !== undefined) lines.push(`${node.node}: ${color.red(node.problem)}`);
  for (const { worker, underWay, room } of workers ?? []) lines.push(`worker    ${worker}: ${underWay} under way, room for ${room} more`);
  if (log !== undefined)
    lines.push(
      '',
      `log       records ${log.first} to ${log.last}, ${bytesText(log.bytes)} of ${bytesText(log.mostBytes)}`,
      `brokers   ${log.present} of ${log.replicas} have the log`,
    );
  if (snapshot !== undefined) lines.push(`snapshot  of ${snapshot.asOf}, record ${snapshot.record}, ${bytesText(snapshot.bytes)}`);
  output.line(found, lines.join('\n'));
  return isGood ? 0 : 1;
}

export async function promote(client: Client, output: Output): Promise<ExitCode> {
  const { wanted } = await client.cluster.promote();
  output.line({ wanted }, `${wanted} becomes the primary when the present one has finished: verbalis cluster status shows it.`);
  return 0;
}

export async function drain(client: Client, { undo = false }: { undo?: boolean }, output: Output): Promise<ExitCode> {
  const { drained } = await client.cluster.drain({ drained: !undo });
  output.line(
    { drained },
    drained ? 'The node takes no place any more, until it is asked again (--undo) or restarted.' : 'The node can take over again.',
  );
  return 0;
}
