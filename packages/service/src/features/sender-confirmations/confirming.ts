import { publishedPolicy } from '@verbalis/core/authentication';
import { asking } from '@verbalis/core/domains';
import type { Mailbox } from '@verbalis/core/mime';
import { newId, Refusal, signedTokens, type BoundTo, type Clock } from '../../kernel/index.js';
import { CONFIRM_SENDER, type Editions } from '../editions/index.js';
import type { Feed } from '../events/index.js';
import type { Acceptor } from '../messages/index.js';
import type { OpenNameServers } from '../name-servers/index.js';
import type { Senders, SenderRow } from '../senders/index.js';
import type { Store } from './store.js';

export interface ConfirmOptions {
  readonly store: Store;
  readonly senders: Senders;
  readonly clock: Clock;
  readonly accept: Acceptor;
  readonly editions: Editions;
  readonly feed: Feed;
  /** Undefined where the DNS is not asked. */
  readonly nameServers: OpenNameServers | undefined;
  /** Signs the links. */
  readonly secret: Uint8Array;
  readonly publicUrl: string | undefined;
}

/** A sender that is to be added. */
export interface NewSender {
  readonly space: string;
  readonly mailbox: Mailbox;
  /** In small letters. */
  readonly address: string;
}

/** What the owner of an address is asked. */
export interface Question {
  readonly row: SenderRow;
  /** Who asks, as people know it. */
  readonly app: string;
  readonly endsAt: number;
}

export interface Confirming {
  /** Adds a sender, and asks its owner where that is needed. One that is there gets the name. @param base where the service is reached @throws Refusal */
  readonly add: (wanted: NewSender, base: string) => Promise<SenderRow>;
  /** Asks the owner of an address again. @throws Refusal */
  readonly ask: (row: SenderRow, base: string) => Promise<SenderRow>;
  /** What a link asks; undefined for one that is altered, has ended, or whose sender was removed. */
  readonly open: (token: string) => Promise<Question | undefined>;
  /** The owner agrees. The first time is an event. */
  readonly confirm: (row: SenderRow) => Promise<void>;
}

const [MINUTE, DAY] = [60_000, 86_400_000];
/** A link works for so long, and an owner is not asked more often than this. */
const [LINK_MS, AGAIN_MS] = [7 * DAY, 5 * MINUTE];

/** Asks owners of addresses whether a space may send as them. */
export function confirming(options: ConfirmOptions): Confirming {
  const { store, senders, clock, accept, editions, feed, nameServers, publicUrl } = options;
  const tokens = signedTokens(options.secret, 'confirm sender');
  // One that is removed and added again is another one.
  const bound = ({ space, address }: SenderRow): BoundTo => [space, address];

  /** Senders that are being added or asked: a second request for the same one waits, so that its owner gets one email. */
  const underWay = new Map<string, Promise<unknown>>();
  async function inTurn<T>({ space, address }: Pick<SenderRow, 'space' | 'address'>, run: () => Promise<T>): Promise<T> {
    const key = `${space} ${address}`;
    const before = underWay.get(key);
    const own = (before ?? Promise.resolve()).catch(() => undefined).then(run);
    underWay.set(key, own);
    try {
      return await own;
    } finally {
      if (underWay.get(key) === own) underWay.delete(key);
    }
  }

  const appOf = async (space: string): Promise<string> => (await editions.current(space))?.project.settings.name ?? space;

  /** Only what is on the disk is asked for: its link must work when the email arrives. */
  async function ask(row: SenderRow, base: string): Promise<SenderRow> {
    const now = clock.now();
    const { token, endsAt } = tokens.sign(row.id, bound(row), now + LINK_MS);
    const data = {
      app: await appOf(row.space),
      address: row.address,
      link: `${publicUrl ?? base}/confirm/${token}`,
      until: new Date(endsAt).toISOString().slice(0, 10),
    };
    const { message } = await accept.one(row.space, { template: CONFIRM_SENDER, to: [row.address], data }, { isBuiltIn: true });
    const policy = await policyOf(row.address);
    const change = { askedAt: now, messageId: message.id, policy: policy ?? row.policy };
    await store.write((tx) => {
      store.senders.change(tx, row.id, change);
    });
    return { ...row, ...change };
  }

  async function policyOf(address: string): Promise<SenderRow['policy']> {
    const servers = nameServers?.();
    if (servers === undefined) return null;
    const domain = address.slice(address.lastIndexOf('@') + 1);
    return (
      (await publishedPolicy(
        domain,
        asking((name, type) => servers.askResolver(name, type)),
      )) ?? null
    );
  }

  async function add({ space, mailbox, address }: NewSender, base: string): Promise<SenderRow> {
    const now = clock.now();
    const row: SenderRow = {
      id: newId('o', now),
      space,
      address,
      name: mailbox.name,
      addedAt: now,
      askedAt: null,
      messageId: null,
      confirmedAt: null,
      policy: null,
    };
    const kept = await store.write((tx) => {
      const before = store.senders.find(space, address, tx);
      if (before === undefined) store.senders.insert(tx, row);
      else if (mailbox.name !== '') store.senders.change(tx, before.id, { name: mailbox.name });
      return before === undefined ? row : { ...before, name: mailbox.name === '' ? before.name : mailbox.name };
    });
    return senders.standingOf(space, mailbox) === 'waiting' && kept.askedAt === null ? ask(kept, base) : kept;
  }

  async function askAgain(id: string, base: string): Promise<SenderRow> {
    const row = store.senders.byId(id);
    if (row === undefined)
      throw new Refusal(404, 'unknown-sender', 'There is no such sender', { detail: 'It was removed in the meantime.' });
    if (row.confirmedAt !== null)
      throw new Refusal(409, 'already-confirmed', 'The sender is confirmed', {
        detail: `The owner of ${row.address} agreed on ${new Date(row.confirmedAt).toISOString().slice(0, 10)}.`,
      });
    const since = clock.now() - (row.askedAt ?? 0);
    if (row.askedAt !== null && since >= 0 && since < AGAIN_MS)
      throw new Refusal(429, 'asked-already', 'Its owner was asked just now', {
        detail: `An email to ${row.address} was sent less than ${AGAIN_MS / MINUTE} minutes ago.`,
        hint: 'See whether it has arrived, also among spam.',
        retryAfterSeconds: Math.ceil((AGAIN_MS - since) / 1000),
      });
    return ask(row, base);
  }

  return {
    add: (wanted, base) => inTurn(wanted, () => add(wanted, base)),
    ask: (row, base) => inTurn(row, () => askAgain(row.id, base)),

    async open(token) {
      const boundOf = (id: string): BoundTo | undefined => {
        const row = store.senders.byId(id);
        return row === undefined ? undefined : bound(row);
      };
      const opened = tokens.open(token, boundOf, clock.now());
      const row = opened === undefined ? undefined : store.senders.byId(opened.subject);
      return opened === undefined || row === undefined ? undefined : { row, app: await appOf(row.space), endsAt: opened.endsAt };
    },

    async confirm({ id }) {
      const now = clock.now();
      await store.write((tx) => {
        const row = store.senders.byId(id, tx);
        if (row === undefined || row.confirmedAt !== null) return;
        store.senders.change(tx, id, { confirmedAt: now });
        store.events.append(tx, {
          id: `sender:${id}`,
          space: row.space,
          kind: 'sender-confirmed',
          at: now,
          data: {
            address: row.address,
            ...(row.name === '' ? {} : { name: row.name }),
            text: `The owner of ${row.address} agrees that emails of this space are sent as it.`,
          },
        });
        tx.afterCommit(feed.reported);
      });
    },
  };
}
