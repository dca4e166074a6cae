import { randomBytes } from 'node:crypto';
import { JetStreamApiError, type PeerInfo, type StoredMsg, type StreamInfo } from '@nats-io/jetstream';
import { headers, type MsgHdrs } from '@nats-io/transport-node';
import type { Logger } from 'pino';
import type { ChangeSink, GroupRecord, LoggedGroup, LogPlace, PlannedGroup } from '../../kernel/index.js';
import type { Cluster } from './connection.js';

// A group of changes is one record of the log, or several where it is large. Each names its group; only the last one completes it. A service that
// ends between them leaves parts that the next group follows: they are passed over.

/** Headers of each part. */
const [GROUP, PART, LAYOUT] = ['Verbalis-Group', 'Verbalis-Part', 'Verbalis-Layout'];
/** Most bytes of a part; a broker takes a mebibyte. */
const PART_BYTES = 512 * 1024;
/** How long an answer of the brokers is waited for, and before they are asked again. In milliseconds. */
const [ANSWER_MS, AGAIN_MS] = [2000, 200];
/** JetStream's code for a record that does not follow the last one. */
const WRONG_LAST_SEQUENCE = 10071;

/** A part of a group, as the log has it. */
export interface Part {
  readonly seq: number;
  readonly group: string;
  readonly isLast: boolean;
  readonly layout: number;
  readonly data: Uint8Array;
}

export function partOf({
  seq,
  header,
  data,
}: {
  readonly seq: number;
  readonly header: MsgHdrs | undefined;
  readonly data: Uint8Array;
}): Part {
  const [n, of] = (header?.get(PART) ?? '').split('/');
  return { seq, group: header?.get(GROUP) ?? '', isLast: n === of, layout: Number(header?.get(LAYOUT)), data };
}

/** Puts parts together. */
export class Assembly {
  #parts: Part[] = [];

  /** @returns the group that this part completes */
  add(part: Part): (LoggedGroup & { readonly at: number; readonly layout: number }) | undefined {
    // The service that wrote the parts before has not come to their end.
    if (this.#parts[0]?.group !== part.group) this.#parts = [];
    this.#parts.push(part);
    if (!part.isLast) return undefined;
    const text = Buffer.concat(this.#parts.map(({ data }) => data)).toString('utf8');
    this.#parts = [];
    const cut = text.indexOf('\n');
    const { seq, group, layout } = part;
    return { place: { seq, group }, at: Number(text.slice(0, cut)), changes: text.slice(cut + 1), layout };
  }

  /** The log is read from another place. */
  reset(): void {
    this.#parts = [];
  }
}

/** The record with a number; undefined where there is none. @throws where the brokers do not answer */
export async function recordAt({ manager, names }: Cluster, seq: number): Promise<Part | undefined> {
  let found: StoredMsg | null;
  try {
    found = await manager.streams.getMessage(names.log, { seq });
  } catch (error) {
    if (error instanceof JetStreamApiError && error.status === 404) return undefined;
    throw error;
  }
  return found === null ? undefined : partOf(found);
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Made by chance: JetStream looks for the name of a part before it looks at sequences. */
const newGroup = (): string => randomBytes(12).toString('base64url');
const bytesOf = ({ at, changes }: GroupRecord): Buffer => Buffer.from(`${at}\n${changes}`);

function headersOf(group: string, part: { readonly number: number; readonly count: number; readonly layout: number }): MsgHdrs {
  const header = headers();
  header.set(GROUP, group);
  header.set(PART, `${part.number + 1}/${part.count}`);
  header.set(LAYOUT, String(part.layout));
  return header;
}

export interface SinkOptions {
  readonly log: Logger;
  readonly superseded: () => void;
  /** Is called when brokers begin to leave a record unconfirmed, and when they confirm again. */
  readonly doubted?: (why: string | undefined) => void;
}

/** Writes groups into the log of a cluster before they are committed. */
export function logSink(cluster: Cluster, { log, superseded, doubted = () => undefined }: SinkOptions): ChangeSink {
  const { streams, names } = cluster;

  /** Whether the record behind another one is ours; undefined where there is none yet. */
  async function isOurs(after: number, group: string): Promise<boolean | undefined> {
    const found = await recordAt(cluster, after + 1);
    return found === undefined ? undefined : found.group === group;
  }

  /** Stores a part; asks as long as it takes. */
  async function storePart(
    part: { readonly after: number; readonly group: string; readonly number: string; readonly header: MsgHdrs; readonly data: Uint8Array },
    signal: AbortSignal,
  ): Promise<boolean | 'unknown'> {
    const { after, group, number, header, data } = part;
    for (let tries = 0; ; tries += 1) {
      try {
        const { seq } = await streams.publish(names.logSubject, data, {
          msgID: `${group}.${number}`,
          expect: { lastSequence: after },
          headers: header,
          timeout: ANSWER_MS,
        });
        if (tries > 0) doubted(undefined);
        return seq === after + 1;
      } catch (error) {
        const isRefused = error instanceof JetStreamApiError && error.code === WRONG_LAST_SEQUENCE;
        let ours: boolean | undefined;
        try {
          ours = await isOurs(after, group);
        } catch {
          // Nobody answers: it is asked again.
        }
        if (ours !== undefined) {
          if (tries > 0) doubted(undefined);
          return ours;
        }
        if (signal.aborted) return 'unknown';
        const why = isRefused
          ? 'The log of the cluster has lost records that this service has. See docs/cluster.md, "When brokers lose records".'
          : `The brokers do not confirm what is written: ${(error as Error).message}`;
        if (tries === 0 || tries % 25 === 0) log.error({ err: error, seq: after + 1 }, why);
        doubted(why);
        await pause(AGAIN_MS);
      }
    }
  }

  return {
    log: cluster.id,
    superseded,
    plan({ at, changes }: GroupRecord, after: LogPlace, layout: number): PlannedGroup {
      const group = newGroup();
      const bytes = bytesOf({ at, changes });
      const size = Math.min(PART_BYTES, (cluster.connection.info?.max_payload ?? 2 * PART_BYTES) - 4096);
      const count = Math.max(1, Math.ceil(bytes.length / size));
      return {
        place: { seq: after.seq + count, group },
        async store(signal) {
          for (let i = 0; i < count; i += 1) {
            const header = headersOf(group, { number: i, count, layout });
            const data = bytes.subarray(i * size, (i + 1) * size);
            const isStored = await storePart({ after: after.seq + i, group, number: String(i), header, data }, signal);
            if (isStored !== true) return isStored;
          }
          return true;
        },
      };
    },
  };
}

/** So often an empty group is offered, before the brokers are given up. */
const MOST_TRIES = 5;

/**
 * Writes an empty group at the end of the log: whatever another service had begun to write is refused behind it. Only who holds the lease does so.
 * @throws where the brokers do not confirm it
 */
export async function closeLog(
  { streams, names }: Cluster,
  { at, layout }: { readonly at: number; readonly layout: number },
): Promise<void> {
  const group = newGroup();
  const header = headersOf(group, { number: 0, count: 1, layout });
  for (let tries = 1; ; tries += 1)
    try {
      // At whatever place the log ends: the record is empty, so it depends on none before it. Published again, it is still one record.
      await streams.publish(names.logSubject, bytesOf({ at, changes: '[]' }), { msgID: `${group}.0`, headers: header, timeout: ANSWER_MS });
      return;
    } catch (error) {
      if (tries === MOST_TRIES) throw error;
      await pause(AGAIN_MS);
    }
}

/** The records that the log has, how large it is, and who keeps it. */
export interface LogBounds {
  readonly first: number;
  readonly last: number;
  readonly bytes: number;
  readonly mostBytes: number;
  /** How many brokers are to keep it, and how many do. */
  readonly replicas: number;
  readonly present: number;
}

/** A broker that its leader has not heard of for so long is missing, in nanoseconds; and one that lacks so many records. */
const [UNHEARD_NS, MOST_LACKED] = [5e9, 1000];

/** As brokers describe each other; they leave out what is false or zero. */
type Peer = Pick<PeerInfo, 'current' | 'active'> & Partial<Pick<PeerInfo, 'offline' | 'lag'>>;

/** Under load one may lack the last records for a moment. */
const isPresent = ({ offline, current, active, lag = 0 }: Peer): boolean =>
  offline !== true && (current || (active < UNHEARD_NS && lag < MOST_LACKED));

/** How many brokers have the log. A broker that is not in a cluster names no others; a leader is not among those that it names. */
export function presentIn({ config, cluster }: Pick<StreamInfo, 'config' | 'cluster'>): number {
  if (cluster === undefined) return config.num_replicas;
  const others = (cluster.replicas ?? []).filter(isPresent).length;
  return Math.min(config.num_replicas, others + (cluster.leader === undefined ? 0 : 1));
}

/** @throws where the brokers do not answer */
export async function logBounds({ manager, names }: Cluster): Promise<LogBounds> {
  const info = await manager.streams.info(names.log);
  const { state, config } = info;
  return {
    first: state.first_seq,
    last: state.last_seq,
    bytes: state.bytes,
    mostBytes: config.max_bytes,
    replicas: config.num_replicas,
    present: presentIn(info),
  };
}
