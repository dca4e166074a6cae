import { randomBytes } from 'node:crypto';
import { SECRET_BYTES, secretText } from '@verbalis/core/events';
import type { Logger } from 'pino';
import {
  type Clock,
  type WorkerGroup,
  outsideConnections,
  type OutsideRules,
  encrypt,
  decrypt,
  newId,
  Refusal,
} from '../../kernel/index.js';
import type { Store } from './store.js';
import type { SubscriptionRow } from './queries.js';
import type { Feed } from '../events/index.js';
import { NOTIFICATIONS, SubscriptionWorker, type HeldNotification, type SubscriptionSecrets } from './subscription-worker.js';
import { RecentEvents } from './recent-events.js';
import { subscriptionWorkers } from './workers.js';
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

/** How long a consumer may take, in milliseconds. */
const WAIT_MS = 15_000;

const sendsNothing = (state: 'unproven' | 'gone'): Refusal =>
  new Refusal(409, 'subscription-inactive', 'Only an active subscription can be paused', {
    detail: state === 'gone' ? 'The address answered that it is gone (410).' : 'The address has not agreed yet.',
    hint: 'Nothing is sent to it. "verbalis subscriptions resume" asks it again.',
  });

/** Sends events to subscriptions: each with its own worker, so that one cannot hold up another. */
export function notifier(options: NotifierOptions) {
  const { store, workers, clock, log, feed, rules, master, publicUrl, origin, random } = options;
  // Each consumer has its own connections.
  const connections = outsideConnections(rules, WAIT_MS, 32);
  const recent = new RecentEvents((after, limit) => store.events.after(after, limit), store.events.last());
  const common = { store, recent, workers, clock, log, base: publicUrl, random, connections, rules, waitMs: WAIT_MS };
  const secretsOf = (row: SubscriptionRow): SubscriptionSecrets =>
    JSON.parse(decrypt(master, `subscription ${row.id}`, row.encrypted)) as SubscriptionSecrets;
  const encrypted = (id: string, secrets: SubscriptionSecrets): Buffer => encrypt(master, `subscription ${id}`, JSON.stringify(secrets));
  const working = subscriptionWorkers(common, secretsOf);
  const current = (row: SubscriptionRow): SubscriptionRow => store.subscriptions.find(row.space, row.id) ?? row;

  /** Asks the consumer whether it wants this (CloudEvents webhook specification, 4.1). */
  async function prove(row: SubscriptionRow): Promise<SubscriptionRow> {
    const answer = await ask(
      row.url,
      {
        method: 'OPTIONS',
        headers: { ...secretsOf(row).headers, 'webhook-request-origin': origin, 'webhook-request-rate': '*' },
        body: undefined,
      },
      common,
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
    return working.restart(row.space, row.id);
  }

  store.quarantine.register(NOTIFICATIONS, {
    retry: (tx, { payload, space }) => {
      const { subscriptionId, seq } = payload as HeldNotification;
      store.subscriptions.again(tx, subscriptionId, [seq], clock.now());
      tx.afterCommit(() => {
        if (space !== null) working.restart(space, subscriptionId);
      });
    },
  });

  const stopFollowing = feed.onNew(() => {
    recent.expect();
    working.wakeAll();
  });
  return {
    start: (): void => {
      working.start();
    },
    get busy(): boolean {
      return working.busy();
    },
    memory: working.memory,
    restingUntil: working.restingUntil,

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
        encrypted: encrypted(id, { secrets: [secret], headers }),
        state: wanted.handshake ? 'unproven' : 'active',
        reason: null,
        cursor: store.events.last(),
        createdAt: now,
      };
      await store.write((tx) => {
        store.subscriptions.add(tx, row);
      });
      return { row: wanted.handshake ? await prove(row) : working.restart(row.space, id), secret };
    },
    prove,
    /**
     * Pauses it, or goes on. Only an active one can be paused: one that were paused before its address has agreed would be active when it is resumed.
     * @throws Refusal 409
     */
    async pause(row: SubscriptionRow, { paused }: { readonly paused: boolean }): Promise<SubscriptionRow> {
      await working.changing(row, (tx) => {
        const { state } = store.subscriptions.find(row.space, row.id, tx) ?? row;
        if (paused && (state === 'unproven' || state === 'gone')) throw sendsNothing(state);
        if (paused || state !== 'unproven') store.subscriptions.change(tx, row.id, { state: paused ? 'paused' : 'active', reason: null });
      });
      return current(row);
    },
    async change(
      row: SubscriptionRow,
      set: Partial<Pick<SubscriptionRow, 'name' | 'filter' | 'payload' | 'batch'>>,
    ): Promise<SubscriptionRow> {
      await working.changing(row, (tx) => {
        store.subscriptions.change(tx, row.id, set);
      });
      return current(row);
    },
    async remove(row: SubscriptionRow): Promise<void> {
      await working.changing(row, (tx) => {
        store.subscriptions.remove(tx, row.id);
      });
    },
    /** A new secret signs beside the old one; the next call removes the old one. @returns the new secret */
    async rotate(row: SubscriptionRow): Promise<string> {
      const secret = secretText(randomBytes(SECRET_BYTES));
      await working.changing(row, (tx) => {
        const { secrets, headers } = secretsOf(store.subscriptions.find(row.space, row.id, tx) ?? row);
        store.subscriptions.change(tx, row.id, { encrypted: encrypted(row.id, { secrets: [secret, ...secrets.slice(0, 1)], headers }) });
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
      // The workers pass over it; without a word they would stay behind it.
      feed.reported();
      const [event] = store.events.at([seq]);
      const worker = new SubscriptionWorker(row, secretsOf(row), working.options);
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
      await working.changing(row, (tx) => {
        const cursor = Math.min(row.cursor, store.events.before(since, tx));
        store.subscriptions.change(tx, row.id, { cursor });
      });
      return current(row);
    },
    /** Sends dead letters again: some of them, or all. @returns how many */
    again: (row: SubscriptionRow, seqs: readonly number[] | undefined): Promise<number> =>
      working.changing(row, (tx) => store.subscriptions.again(tx, row.id, seqs, clock.now())),
    async stop(): Promise<void> {
      stopFollowing();
      await working.stop();
      await connections.close();
    },
  };
}
