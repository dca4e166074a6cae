import { randomBytes } from 'node:crypto';
import { SECRET_BYTES, secretText } from '@verbalis/core/events';
import type { Logger } from 'pino';
import type { Clock } from '../clock.js';
import { outsideAgent, type OutsideRules } from '../outside/index.js';
import { seal, unseal } from '../signing/index.js';
import { newId, type Store, type SubscriptionRow } from '../store/index.js';
import type { Feed } from './feed.js';
import { SubscriptionLine, type LineOptions, type SubscriptionSecrets } from './line.js';
import { ask, type Answer } from './send.js';

export interface NotifierOptions {
  readonly store: Store;
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
  readonly shape: unknown;
  readonly batch: number;
  readonly handshake: boolean;
}

export type Notifier = ReturnType<typeof notifier>;

/** Notifications under way at once, over all subscriptions. */
const UNDER_WAY = 96;
/** How long a consumer may take, in milliseconds. */
const WAIT_MS = 15_000;

/** Sends events to subscriptions: each on a line of its own, so that none holds up another. */
export function notifier(options: NotifierOptions) {
  const { store, clock, log, feed, rules, master, publicUrl, origin, random } = options;
  const lines = new Map<string, SubscriptionLine>();
  // Each consumer has its own connections.
  const dispatcher = outsideAgent(rules, WAIT_MS, 32);
  let underWay = 0;
  let running = false;
  const lineOptions: LineOptions = {
    store,
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
  const sealedOf = (row: SubscriptionRow): SubscriptionSecrets =>
    JSON.parse(unseal(master, `subscription ${row.id}`, row.sealed)) as SubscriptionSecrets;
  const sealing = (id: string, secrets: SubscriptionSecrets): Buffer => seal(master, `subscription ${id}`, JSON.stringify(secrets));

  function wakeAll(): void {
    for (const line of lines.values()) line.wake();
  }
  /** Begins or ends the work for a subscription, as its state asks for. */
  function place(row: SubscriptionRow | undefined, id: string): void {
    lines.get(id)?.stop();
    lines.delete(id);
    if (!running || row?.state !== 'active') return;
    const line = new SubscriptionLine(row, sealedOf(row), lineOptions);
    lines.set(id, line);
    line.wake();
  }
  const again = (space: string, id: string): SubscriptionRow => {
    const row = store.subscriptions.find(space, id);
    place(row, id);
    if (row === undefined) throw new Error(`The subscription ${id} is gone.`);
    return row;
  };
  /** What is under way of a line ends before its row is changed, so that its place is not written over. */
  const quiet = async (id: string): Promise<void> => {
    const line = lines.get(id);
    line?.stop();
    while (line?.busy === true) await new Promise((done) => setTimeout(done, 5));
    lines.delete(id);
  };

  /** Asks the consumer whether it wants this (CloudEvents webhook specification, 4.1). */
  async function prove(row: SubscriptionRow): Promise<SubscriptionRow> {
    const answer = await ask(
      row.url,
      'OPTIONS',
      { ...sealedOf(row).headers, 'webhook-request-origin': origin, 'webhook-request-rate': '*' },
      undefined,
      lineOptions,
    );
    const allowed = answer.headers['webhook-allowed-origin'];
    const good = answer.ok && (allowed === '*' || (typeof allowed === 'string' && allowed.toLowerCase() === origin.toLowerCase()));
    const reason = good
      ? null
      : answer.ok
        ? `It answered ${answer.status ?? ''} to the question whether it wants these events, but without "WebHook-Allowed-Origin: ${origin}".`
        : `It was asked (OPTIONS) whether it wants these events. ${answer.problem ?? ''}`;
    await store.group.write(() => {
      store.subscriptions.change(row.id, { state: good ? 'active' : 'unproven', reason });
    });
    return again(row.space, row.id);
  }

  const stopFollowing = feed.onNew(wakeAll);
  return {
    start(): void {
      running = true;
      for (const row of store.subscriptions.all()) place(row, row.id);
    },
    get busy(): boolean {
      return [...lines.values()].some((line) => line.busy);
    },
    /** Since when a consumer is left alone for a while. */
    restingUntil: (id: string): number | undefined => lines.get(id)?.resting,

    /** Makes a subscription; what is made public from now on goes there. @returns it, with the secret that signs */
    async add(wanted: NewSubscription): Promise<{ row: SubscriptionRow; secret: string }> {
      const now = clock.now();
      const id = newId('w', now);
      const secret = secretText(randomBytes(SECRET_BYTES));
      const { headers, ...rest } = wanted;
      const row: SubscriptionRow = {
        id,
        ...rest,
        shape: wanted.shape ?? null,
        sealed: sealing(id, { secrets: [secret], headers }),
        state: wanted.handshake ? 'unproven' : 'active',
        reason: null,
        cursor: store.events.last(),
        createdAt: now,
      };
      await store.group.write(() => {
        store.subscriptions.add(row);
      });
      return { row: wanted.handshake ? await prove(row) : again(row.space, id), secret };
    },
    prove,
    async pause(row: SubscriptionRow, paused: boolean): Promise<SubscriptionRow> {
      if (paused) await quiet(row.id);
      await store.group.write(() => {
        store.subscriptions.change(row.id, { state: paused ? 'paused' : 'active', reason: null });
      });
      return again(row.space, row.id);
    },
    async change(
      row: SubscriptionRow,
      set: Partial<Pick<SubscriptionRow, 'name' | 'filter' | 'shape' | 'batch'>>,
    ): Promise<SubscriptionRow> {
      await quiet(row.id);
      await store.group.write(() => {
        store.subscriptions.change(row.id, set);
      });
      return again(row.space, row.id);
    },
    async remove(row: SubscriptionRow): Promise<void> {
      await quiet(row.id);
      await store.group.write(() => {
        store.subscriptions.remove(row.id);
      });
    },
    /** A new secret signs beside the old one; the next call takes the old one away. @returns the new secret */
    async rotate(row: SubscriptionRow): Promise<string> {
      await quiet(row.id);
      const { secrets, headers } = sealedOf(row);
      const secret = secretText(randomBytes(SECRET_BYTES));
      await store.group.write(() => {
        store.subscriptions.change(row.id, { sealed: sealing(row.id, { secrets: [secret, ...secrets.slice(0, 1)], headers }) });
      });
      again(row.space, row.id);
      return secret;
    },
    /** Sends an event that says it is a test, at once, whatever state the subscription is in. */
    async test(row: SubscriptionRow): Promise<Answer> {
      const now = clock.now();
      const seq = await store.group.write(() =>
        store.events.append({
          id: newId('e', now),
          space: row.space,
          kind: 'test',
          at: now,
          data: { subscription: row.name, text: `A test of the subscription "${row.name}" of ${row.space}: all is well.` },
        }),
      );
      const [event] = store.events.at([seq]);
      const line = new SubscriptionLine(row, sealedOf(row), lineOptions);
      line.stop();
      const answer = await line.send(event === undefined ? [] : [event]);
      await store.group.write(() => {
        store.subscriptions.note({
          subscriptionId: row.id,
          seq,
          line: event?.id ?? '',
          attempts: 1,
          state: answer.ok ? 'delivered' : 'set-aside',
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
      await quiet(row.id);
      const cursor = Math.min(row.cursor, store.events.before(since));
      await store.group.write(() => {
        store.subscriptions.change(row.id, { cursor });
      });
      return again(row.space, row.id);
    },
    /** Sends again what was set aside: some of it, or all. @returns how many */
    async again(row: SubscriptionRow, seqs: readonly number[] | undefined): Promise<number> {
      await quiet(row.id);
      const count = await store.group.write(() => store.subscriptions.again(row.id, seqs, clock.now()));
      again(row.space, row.id);
      return count;
    },
    async stop(): Promise<void> {
      running = false;
      stopFollowing();
      for (const line of lines.values()) line.stop();
      const end = Date.now() + WAIT_MS;
      while ([...lines.values()].some((line) => line.busy) && Date.now() < end) await new Promise((done) => setTimeout(done, 10));
      await dispatcher.close();
    },
  };
}
