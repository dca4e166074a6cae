import { newId, type Clock, type Tx } from '../../kernel/index.js';
import { INVITATION, SIGN_IN } from '../editions/index.js';
import type { Acceptor } from '../messages/index.js';
import { newSecret, type PersonRow } from './queries.js';
import type { Store } from './store.js';

export interface LinkOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly accept: Acceptor;
  /** The space that sends links; undefined where none can. */
  readonly space: string | undefined;
}

const [MINUTE, DAY] = [60_000, 86_400_000];
export const LINK_MINUTES = 15;
/** How long an invitation and a link to sign in work, in milliseconds. */
const [INVITATION_MS, LINK_MS] = [7 * DAY, LINK_MINUTES * MINUTE];
/** Someone who asks again within this time gets no second link, in milliseconds. */
const AGAIN_MS = MINUTE;

/** A link with which someone signs in. */
export interface MadeLink {
  /** The space whose email has it; undefined where it was not sent. */
  readonly sentThrough: string | undefined;
  readonly url: string;
  readonly endsAt: number;
}

interface Making {
  readonly kind: 'invitation' | 'sign-in';
  /** What addresses start with: https://host */
  readonly base: string;
  /** Who invites. */
  readonly by: string;
  readonly isSent: boolean;
  /** Written with the link, or not at all. */
  readonly also?: ((tx: Tx) => void) | undefined;
}

export interface Links {
  /** The space that sends links; undefined where none can. */
  readonly space: string | undefined;
  /** Makes a link for someone; an invitation ends those that were not used before. @throws Refusal */
  readonly make: (person: PersonRow, how: Making) => Promise<MadeLink>;
  /** Makes a link that signs in with the operator's rights. */
  readonly forOperator: (base: string) => Promise<string>;
  /** Whether someone has been sent a link a moment ago. */
  readonly wasSent: (person: PersonRow) => boolean;
}

/** Links that open the console, once. */
export function signInLinks({ store, clock, accept, space }: LinkOptions): Links {
  const urlOf = (base: string, token: string): string => `${base}/sign-in#token=${token}`;
  const sentAt = new Map<string, number>();
  const rowOf = (personId: string | null, now: number, endsAt: number) => ({
    id: newId('z', now),
    kind: 'link' as const,
    personId,
    way: 'link' as const,
    createdAt: now,
    expiresAt: endsAt,
    address: '',
    agent: '',
  });

  return {
    space,

    wasSent: ({ id }) => clock.elapsed() - (sentAt.get(id) ?? -Infinity) < AGAIN_MS,

    async make(person, { kind, base, by, isSent, also }) {
      const now = clock.now();
      const endsAt = now + (kind === 'invitation' ? INVITATION_MS : LINK_MS);
      const secret = newSecret();
      const url = urlOf(base, secret);
      const write = (tx: Tx): void => {
        also?.(tx);
        // Anybody can ask for a link to sign in: that must not end those that someone has.
        if (kind === 'invitation') store.people.closeLinksOf(tx, person.id);
        store.people.open(tx, rowOf(person.id, now, endsAt), secret);
      };
      if (!isSent || space === undefined) {
        await store.write(write);
        return { sentThrough: undefined, url, endsAt };
      }
      const service = new URL(base).host;
      const data =
        kind === 'invitation'
          ? { service, link: url, by, email: person.email, until: new Date(endsAt).toISOString().slice(0, 10) }
          : { service, link: url, email: person.email, minutes: LINK_MINUTES };
      const template = kind === 'invitation' ? INVITATION : SIGN_IN;
      const { deliveries } = await accept.one(
        space,
        { template, to: [person.email], data },
        { isBuiltIn: true, sealedMs: endsAt - now, also: write },
      );
      sentAt.set(person.id, clock.elapsed());
      // One that is withheld reaches nobody.
      const isWithheld = deliveries.every(({ state }) => state === 'withheld');
      return { sentThrough: isWithheld ? undefined : space, url, endsAt };
    },

    async forOperator(base) {
      const now = clock.now();
      const secret = newSecret();
      await store.write((tx) => {
        store.people.open(tx, rowOf(null, now, now + LINK_MS), secret);
      });
      return urlOf(base, secret);
    },
  };
}
