import type { KV } from '@nats-io/kv';
import type { Logger } from 'pino';
import * as z from 'zod';
import type { Clock } from '../../kernel/index.js';
import type { Cluster } from './connection.js';

/** What a node says of itself, every few seconds. */
export const Member = z.object({
  node: z.string(),
  role: z.enum(['primary', 'standby', 'starting', 'drained']),
  url: z.string().optional(),
  version: z.string(),
  /** The last record of the log that it has. */
  seq: z.int(),
  lagRecords: z.int(),
  lagMs: z.number(),
  takesOver: z.boolean(),
  /** When it said so, in milliseconds since the epoch. */
  at: z.number(),
  problem: z.string().optional(),
});
export type Member = z.infer<typeof Member>;

/** A node that has said nothing for so long is gone. The bucket forgets it then. In milliseconds. */
export const GONE_MS = 15_000;
const SAY_MS = 2000;

/** What the nodes have said last, by name. @throws where the brokers do not answer */
export async function membersOf({ nodes, manager, names }: Pick<Cluster, 'nodes' | 'manager' | 'names'>): Promise<Member[]> {
  // One question and one answer: listing the keys of a bucket would wait for as long as nobody answers.
  const { state } = await manager.streams.info(`KV_${names.nodes}`, { subjects_filter: '>' });
  const keys = Object.keys(state.subjects ?? {}).map((subject) => subject.split('.').at(-1) ?? '');
  const found: Member[] = [];
  for (const key of keys) {
    const entry = await nodes.get(key);
    const member = entry === null || entry.operation !== 'PUT' ? undefined : Member.safeParse(entry.json()).data;
    if (member !== undefined) found.push(member);
  }
  return found.sort((a, b) => a.node.localeCompare(b.node));
}

/** Says every few seconds how this node is. @returns what says it at once, and what ends it */
export function announce(
  { bucket, clock, log }: { readonly bucket: KV; readonly clock: Clock; readonly log: Logger },
  state: () => Member,
): { readonly now: () => void; readonly stop: () => Promise<void> } {
  let isStopped = false;
  let cancel: () => void = () => undefined;
  let underWay: Promise<void> | undefined;
  const say = (): void => {
    cancel();
    if (isStopped) return;
    const member = state();
    underWay ??= bucket
      .put(member.node, JSON.stringify(member))
      .then(() => undefined)
      .catch((error: unknown) => {
        log.debug({ err: error }, 'the brokers did not take the state of this node');
      })
      .finally(() => {
        underWay = undefined;
        if (!isStopped) cancel = clock.after(SAY_MS, say);
      });
  };
  say();
  return {
    now: say,
    stop: async () => {
      isStopped = true;
      cancel();
      await underWay;
      await bucket.delete(state().node).catch(() => undefined);
    },
  };
}
