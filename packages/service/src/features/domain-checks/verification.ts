import { randomBytes } from 'node:crypto';
import { organizationalDomain } from '@verbalis/core/authentication';
import { asking, judgeTestMail, type TestMail, type TestResult } from '@verbalis/core/domains';
import { getDomain } from 'tldts';
import { Refusal, type Clock } from '../../kernel/index.js';
import type { Domains, SendingDomain } from '../domains/index.js';
import type { Acceptor } from '../messages/index.js';
import type { OpenNameServers } from '../name-servers/index.js';
import type { TestMails } from '../returns/index.js';
import { spacesOf, type SendingSpace } from './needs.js';
import type { VerificationRow } from './queries.js';
import type { Store } from './store.js';

export interface Verifying extends TestMails {
  /** Sends a test email through the route of a space, to an address of ours. @throws Refusal */
  readonly start: (domain: SendingDomain, space: string | undefined) => Promise<VerificationRow>;
}

interface Options {
  readonly store: Store;
  readonly domains: Domains;
  readonly clock: Clock;
  readonly nameServers: OpenNameServers;
  readonly accept: Acceptor;
  readonly spaces: () => Promise<readonly SendingSpace[]>;
  /** Whether our listener offers TLS. */
  readonly offersTls: boolean;
}

/** A test email is waited for, for so long. */
const WAIT_MS = 60 * 60_000;
const LOCAL = 'verify+';

/** Where receivers that still go by the public suffix list (RFC 7489 3.2) would find another organizational domain than the DNS shows. */
export function comparison(domain: string, walked: string | undefined): TestResult[] {
  const listed = getDomain(domain, { allowPrivateDomains: true });
  if (walked === undefined || listed === null || listed === walked) return [];
  return [
    {
      check: 'dmarc',
      state: 'advice',
      sentence: `By the DNS, ${walked} answers for ${domain}; by the public suffix list, which some receivers still use, ${listed} does.`,
      hint: `Publish a DMARC record at ${domain} itself, and sign as ${domain}: then both agree.`,
    },
  ];
}

/** Test emails: sent as any other, received by ourselves, and judged as a receiver would. */
export function verifying({ store, domains, clock, nameServers, accept, spaces, offersTls }: Options): Verifying {
  const awaited = (address: string): VerificationRow | undefined => {
    const at = address.lastIndexOf('@');
    const local = address.slice(0, at).toLowerCase();
    if (!local.startsWith(LOCAL) || !domains.isReturnHost(address.slice(at + 1))) return undefined;
    const row = store.domainChecks.verification(local.slice(LOCAL.length));
    return row === undefined || row.arrivedAt !== null || clock.now() > row.startedAt + WAIT_MS ? undefined : row;
  };

  return {
    async start({ name }, wanted) {
      const sending = spacesOf(name, await spaces()).filter(({ delivers }) => delivers);
      const space = wanted === undefined ? sending[0] : sending.find((found) => found.name === wanted);
      if (space === undefined)
        throw new Refusal(409, 'no-space', 'No space sends as this domain', {
          detail:
            wanted === undefined
              ? `No space that delivers sends as ${name}.`
              : `"${wanted}" does not deliver, or does not send as ${name}.`,
          hint: 'Set sender or senderDomains of a space that delivers.',
        });
      const domain = space.senders.find((sender) => sender === name || sender.endsWith(`.${name}`)) ?? name;
      const token = randomBytes(15).toString('hex');
      const to = `${LOCAL}${token}@${domains.returnHostFor(domain)}`;
      const row: VerificationRow = {
        token,
        domain: name,
        from: domain,
        space: space.name,
        messageId: '',
        startedAt: clock.now(),
        arrivedAt: null,
        results: [],
      };
      // Before it is sent: it may be back at once.
      await store.write((tx) => {
        store.domainChecks.addVerification(tx, row);
      });
      const { message } = await accept.one(
        space.name,
        {
          to: [to],
          from: `verify@${domain}`,
          subject: `Test of ${name}`,
          text: `This email tests how ${name} sends. It comes back to the service that sent it; you need not read it.\n`,
        },
        { isBuiltIn: true },
      );
      await store.write((tx) => {
        store.domainChecks.setVerifyingMessage(tx, token, message.id);
      });
      return { ...row, messageId: message.id };
    },

    isAwaited: (address) => awaited(address) !== undefined,

    async receive(address, mail: TestMail) {
      const row = awaited(address);
      if (row === undefined) return;
      const servers = nameServers();
      const ask = asking((asked, type) => servers.askResolver(asked, type));
      const now = clock.now();
      // The author that receivers see is the one that counts.
      const judged = await judgeTestMail(mail, { domain: row.from, ask, seconds: Math.floor(now / 1000), offersTls });
      const results = [...judged, ...comparison(row.from, await organizationalDomain(row.from, ask))];
      await store.write((tx) => {
        store.domainChecks.arrived(tx, row.token, now, results);
      });
    },
  };
}
