import { randomBytes } from 'node:crypto';
import { SECRET_BYTES, secretText } from '@verbalis/core/events';
import type { Logger } from 'pino';
import { type Clock, type Tx, type WorkerGroup, outsideAgent, type OutsideRules, encrypt, decrypt, newId } from '../../kernel/index.js';
import type { Store } from './store.js';
import type { SubscriptionRow } from './queries.js';
import type { Feed } from '../events/index.js';
import {
  NOTIFICATIONS,
  SubscriptionWorker,
  type HeldNotification,
  type WorkerOptions,
  type SubscriptionSecrets,
} from './subscription-worker.js';
import { ask, type Answer } from './send.js';

export interface NotifierOptions {
  readonly store: Store;
  readonly workers: WorkerGroup;
  readonly clock: Clock;
  readonly log: Logger;
  readonly feed: Feed;
  readonly rules: OutsideRules;
  /** Seals secrets. */
  readonly master: Uint8Array;
  /** Where people reach the service. */
  readonly publicUrl: string | undefined;
  /** Who asks for leave to send (WebHook-Request-Origin). */
  readonly origin: string;
  readonly random: () => number;
}

export interface NewSubscription {
  readonly space: string;
  readonly name: string;
  readonly url: string;
  readonly filter: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly payload: unknown;
  readonly batch: number;
  readonly handshake: boolean;
}

export type Notifier = ReturnType<typeof notifier>;

/** Notifications under way at once, over all subscriptions. */
const UNDER_WAY = 96;
/** How long a consumer may take, in milliseconds. */
const WAIT_MS = 15_000;

/** Sends events to subscriptions: each with a worker of its own, so that none holds up another. */
export function notifier(options: NotifierOptions) {
  const { store, workers, clock, log, feed, rules, master, publicUrl, origin, random } = options;
  const bySubscription = new Map<string, SubscriptionWorker>();
  // Each consumer has its own connections.
  const dispatcher = outsideAgent(rules, WAIT_MS, 32);
  let underWay = 0;
  let running = false;
  const workerOptions: WorkerOptions = {
    store,
    workers,
    clock,
    log,
    base: publicUrl,
    random,
    dispatcher,
    rules,
    waitMs: WAIT_MS,
    hasRoom: () => underWay < UNDER_WAY,
    began: () => {
      underWay += 1;
    },
    ended: () => {
      underWay -= 1;
      // Those who found no room are told that there is some.
      if (underWay === UNDER_WAY - 1) wakeAll();
    },
  };
  const encryptedOf = (row: SubscriptionRow): SubscriptionSecrets =>
    JSON.parse(decrypt(master, `subscription ${row.id}`, row.encrypted)) as SubscriptionSecrets;
  const encryptedFor = (id: string, secrets: SubscriptionSecrets): Buffer => encrypt(master, `subscription ${id}`, JSON.stringify(secrets));

  function wakeAll(): void {
    for (const worker of bySubscription.values()) worker.wake();
  }
  /** Begins or ends the work for a subscription, as its state asks for. */
  function place(row: SubscriptionRow | undefined, id: string): void {
    bySubscription.get(id)?.stop();
    bySubscription.delete(id);
    if (!running || row?.state !== 'active') return;
    let secrets: SubscriptionSecrets;
    try {
      secrets = encryptedOf(row);
    } catch (error) {
      // Stored data never keeps the service from starting, nor this subscription the others.
      log.error({ err: error, subscription: id }, 'the secrets of a subscription cannot be decrypted; nothing is sent to it');
      return;
    }
    const worker = new SubscriptionWorker(row, secrets, workerOptions);
    bySubscription.set(id, worker);
    worker.start();
  }
  const again = (space: string, id: string): SubscriptionRow => {
    const row = store.subscriptions.find(space, id);
    place(row, id);
    if (row === undefined) throw new Error(`The subscription ${id} is gone.`);
    return row;
  };
  const current = (row: SubscriptionRow): SubscriptionRow => store.subscriptions.find(row.space, row.id) ?? row;
  /** What a worker has under way ends before its row is changed, so that its place is not written over. */
  const quiet = async (id: string): Promise<void> => {
    const worker = bySubscription.get(id);
    worker?.stop();
    while (worker?.busy === true) await new Promise((done) => setTimeout(done, 5));
    bySubscription.delete(id);
  };

  /** Changes a subscription while nothing of it is under way; whatever comes of the write, its work goes on after. */
  const changing = async <T>(row: SubscriptionRow, run: (tx: Tx) => T): Promise<T> => {
    await quiet(row.id);
    try {
      return await store.write(run);
    } finally {
      place(store.subscriptions.find(row.space, row.id), row.id);
    }
  };

  /** Asks the consumer whether it wants this (CloudEvents webhook specification, 4.1). */
  async function prove(row: SubscriptionRow): Promise<SubscriptionRow> {
    const answer = await ask(
      row.url,
      {
        method: 'OPTIONS',
        headers: { ...encryptedOf(row).headers, 'webhook-request-origin': origin, 'webhook-request-rate': '*' },
        body: undefined,
      },
      workerOptions,
    );
    const allowed = answer.headers['webhook-allowed-origin'];
    const good = answer.ok && (allowed === '*' || (typeof allowed === 'string' && allowed.toLowerCase() === origin.toLowerCase()));
    const reason = good
      ? null
      : answer.ok
        ? `It answered ${answer.status ?? ''} to the question whether it wants these events, but without "WebHook-Allowed-Origin: ${origin}".`
        : `It was asked (OPTIONS) whether it wants these events. ${answer.problem ?? ''}`;
    await store.write((tx) => {
      store.subscriptions.change(tx, row.id, { state: good ? 'active' : 'unproven', reason });
    });
    return again(row.space, row.id);
  }

  store.quarantine.register(NOTIFICATIONS, {
    retry: (tx, { payload, space }) => {
      const { subscriptionId, seq } = payload as HeldNotification;
      store.subscriptions.again(tx, subscriptionId, [seq], clock.now());
      tx.afterCommit(() => {
        if (space !== null) again(space, subscriptionId);
      });
    },
  });

  const stopFollowing = feed.onNew(wakeAll);
  return {
    start(): void {
      running = true;
      for (const row of store.subscriptions.all()) place(row, row.id);
    },
    get busy(): boolean {
      return [...bySubscription.values()].some((worker) => worker.busy);
    },
    /** What is at work, as a fresh start would build it of the rows. */
    memory: (): Record<string, unknown> =>
      Object.fromEntries(
        [...bySubscription]
          .sort(([a], [b]) => (a < b ? -1 : 1))
          .map(([id, { row }]) => [id, { name: row.name, filter: row.filter, batch: row.batch }]),
      ),
    /** Since when a consumer is left alone for a while. */
    restingUntil: (id: string): number | undefined => bySubscription.get(id)?.resting,

    /** Makes a subscription; what is made public from now on goes there. @returns it, with the secret that signs */
    async add(wanted: NewSubscription): Promise<{ row: SubscriptionRow; secret: string }> {
      const now = clock.now();
      const id = newId('w', now);
      const secret = secretText(randomBytes(SECRET_BYTES));
      const { headers, ...rest } = wanted;
      const row: SubscriptionRow = {
        id,
        ...rest,
        payload: wanted.payload ?? null,
        encrypted: encryptedFor(id, { secrets: [secret], headers }),
        state: wanted.handshake ? 'unproven' : 'active',
        reason: null,
        cursor: store.events.last(),
        createdAt: now,
      };
      await store.write((tx) => {
        store.subscriptions.add(tx, row);
      });
      return { row: wanted.handshake ? await prove(row) : again(row.space, id), secret };
    },
    prove,
    async pause(row: SubscriptionRow, { paused }: { readonly paused: boolean }): Promise<SubscriptionRow> {
      await changing(row, (tx) => {
        store.subscriptions.change(tx, row.id, { state: paused ? 'paused' : 'active', reason: null });
      });
      return current(row);
    },
    async change(
      row: SubscriptionRow,
      set: Partial<Pick<SubscriptionRow, 'name' | 'filter' | 'payload' | 'batch'>>,
    ): Promise<SubscriptionRow> {
      await changing(row, (tx) => {
        store.subscriptions.change(tx, row.id, set);
      });
      return current(row);
    },
    async remove(row: SubscriptionRow): Promise<void> {
      await changing(row, (tx) => {
        store.subscriptions.remove(tx, row.id);
      });
    },
    /** A new secret signs beside the old one; the next call removes the old one. @returns the new secret */
    async rotate(row: SubscriptionRow): Promise<string> {
      const secret = secretText(randomBytes(SECRET_BYTES));
      await changing(row, (tx) => {
        const { secrets, headers } = encryptedOf(store.subscriptions.find(row.space, row.id, tx) ?? row);
        store.subscriptions.change(tx, row.id, { encrypted: encryptedFor(row.id, { secrets: [secret, ...secrets.slice(0, 1)], headers }) });
      });
      return secret;
    },
    /** Sends an event that says it is a test, at once, whatever state the subscription is in. */
    async test(row: SubscriptionRow): Promise<Answer> {
      const now = clock.now();
      const seq = await store.write((tx) =>
        store.events.append(tx, {
          id: newId('e', now),
          space: row.space,
          kind: 'test',
          at: now,
          data: { subscription: row.name, text: `A test of the subscription "${row.name}" of ${row.space}: all is well.` },
        }),
      );
      const [event] = store.events.at([seq]);
      const worker = new SubscriptionWorker(row, encryptedOf(row), workerOptions);
      worker.stop();
      const answer = await worker.send(event === undefined ? [] : [event]);
      await store.write((tx) => {
        store.subscriptions.note(tx, {
          subscriptionId: row.id,
          seq,
          orderKey: event?.id ?? '',
          attempts: 1,
          state: answer.ok ? 'delivered' : 'dead-letter',
          nextAt: null,
          lastAt: now,
          status: answer.status ?? null,
          problem: answer.problem ?? null,
          milliseconds: answer.milliseconds,
        });
      });
      return answer;
    },
    /** Sends again what became known at a time or later. */
    async replay(row: SubscriptionRow, since: number): Promise<SubscriptionRow> {
      await changing(row, (tx) => {
        const cursor = Math.min(row.cursor, store.events.before(since, tx));
        store.subscriptions.change(tx, row.id, { cursor });
      });
      return current(row);
    },
    /** Sends dead letters again: some of them, or all. @returns how many */
    again: (row: SubscriptionRow, seqs: readonly number[] | undefined): Promise<number> =>
      changing(row, (tx) => store.subscriptions.again(tx, row.id, seqs, clock.now())),
    async stop(): Promise<void> {
      running = false;
      stopFollowing();
      for (const worker of bySubscription.values()) worker.stop();
      const end = performance.now() + WAIT_MS;
      while ([...bySubscription.values()].some((worker) => worker.busy) && performance.now() < end)
        await new Promise((done) => setTimeout(done, 10));
      await dispatcher.close();
    },
  };
}
