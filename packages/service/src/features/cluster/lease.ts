import type { KV } from '@nats-io/kv';
import type { Logger } from 'pino';
import type { Clock } from '../../kernel/index.js';

/** Who is the primary. */
export interface Holder {
  readonly node: string;
  readonly url?: string | undefined;
  /** Since when, in milliseconds since the epoch. */
  readonly since: number;
}

const KEY = 'primary';
/** Where an operator has named the node that is to be the primary next. */
const WANTED = 'wanted';
/** The lease is renewed so many times before it could end. */
const RENEWALS = 4;
/** After a renewal that nobody answered, in milliseconds: sooner than a standby takes it. */
const AGAIN_MS = 300;

export interface LeaseOptions {
  readonly bucket: KV;
  readonly leaseMs: number;
  readonly clock: Clock;
  readonly log: Logger;
}

/** Who holds the lease; undefined where nobody does. @throws where the brokers do not answer */
export async function holderOf(bucket: KV): Promise<Holder | undefined> {
  const entry = await bucket.get(KEY);
  return entry === null || entry.operation !== 'PUT' ? undefined : entry.json<Holder>();
}

/** The node that an operator wants to be the primary. */
export async function wantedNode(bucket: KV): Promise<string | undefined> {
  const entry = await bucket.get(WANTED);
  return entry === null || entry.operation !== 'PUT' ? undefined : entry.string();
}

/** It is forgotten after the time of a lease, whether it worked or not. */
export async function wantNode(bucket: KV, node: string): Promise<void> {
  await bucket.put(WANTED, node);
}

export interface Lease {
  /** Gives it back: another node may take it at once. */
  readonly release: () => Promise<void>;
  /** Renews it no more. */
  readonly stop: () => void;
}

/**
 * Takes the lease of the primary, where nobody has it, and renews it. It only says who is to be the primary; that nobody else writes is
 * ensured by the numbers of the log.
 * @param lost is called when another node has it
 * @returns undefined where another one was first
 */
export async function takeLease(
  { bucket, leaseMs, clock, log }: LeaseOptions,
  holder: Holder,
  lost: () => void,
): Promise<Lease | undefined> {
  const value = JSON.stringify(holder);
  let revision: number;
  try {
    revision = await bucket.create(KEY, value);
  } catch (error) {
    log.debug({ err: error }, 'the lease of the primary was not free');
    return undefined;
  }
  let isEnded = false;
  let underWay: Promise<void> = Promise.resolve();
  let cancel: () => void = () => undefined;

  /** @returns whether it is known to be held */
  async function renew(): Promise<boolean> {
    try {
      revision = await bucket.update(KEY, value, revision);
      return true;
    } catch (error) {
      // It may have expired while the brokers were away, so its current holder is looked up.
      try {
        const now = await holderOf(bucket);
        if (now === undefined) revision = await bucket.create(KEY, value);
        else if (now.node !== holder.node || now.since !== holder.since) {
          isEnded = true;
          log.warn({ primary: now.node }, 'another service of the cluster is the primary now');
          lost();
        } else revision = (await bucket.get(KEY))?.revision ?? revision;
        return true;
      } catch {
        log.warn({ err: error }, 'the lease of the primary could not be renewed; it is tried again');
        return false;
      }
    }
  }

  const next = (isHeld: boolean): void => {
    if (isEnded) return;
    cancel = clock.after(isHeld ? leaseMs / RENEWALS : AGAIN_MS, () => {
      underWay = renew().then(next);
    });
  };
  next(true);

  const stop = (): void => {
    isEnded = true;
    cancel();
  };
  return {
    stop,
    release: async () => {
      stop();
      await underWay;
      try {
        await bucket.delete(KEY, { previousSeq: revision });
      } catch (error) {
        log.warn({ err: error }, 'the lease of the primary could not be given back; it expires');
      }
    },
  };
}
