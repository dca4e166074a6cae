import type { DmarcPolicy } from '@verbalis/core/authentication';
import { importKey, makeKey, recordOf, type KeyAlgorithm, type SigningKey } from '@verbalis/core/dkim';
import { isSigning } from '@verbalis/core/domains';
import { decrypt, encrypt, Refusal, type Clock, type Tx } from '../../kernel/index.js';
import type { DomainRow, LinkHostRow, ReturnHostRow, SigningKeyRow } from './queries.js';
import { linkHostsOf } from './link-hosts.js';
import type { Store } from './store.js';

/** Not every receiver knows Ed25519 yet; those that do prefer it. */
const BOTH: readonly KeyAlgorithm[] = ['rsa-sha256', 'ed25519-sha256'];
/** Bounces to a host that is not used any more are accepted for so long. */
export const OLD_HOST_MS = 30 * 86_400_000;

/** A domain with all that belongs to it. */
export interface SendingDomain extends DomainRow {
  readonly keys: readonly SigningKeyRow[];
  readonly host: ReturnHostRow | undefined;
  readonly links: LinkHostRow | undefined;
}

export interface NewDomain {
  readonly name: string;
  readonly algorithms?: readonly KeyAlgorithm[] | undefined;
  readonly returnHost?: string | undefined;
  /** Of links in its emails; null for that of the service. */
  readonly linkHost?: string | null | undefined;
  readonly policy?: DmarcPolicy | undefined;
}

interface Options {
  readonly store: Store;
  readonly clock: Clock;
  /** Encrypts the keys. */
  readonly master: Uint8Array;
  /** The host of return paths where a domain has no own one that is live. */
  readonly sharedHost: string;
  /** Whether the DNS is checked; else keys sign at once. */
  readonly isChecked: boolean;
}

export type Domains = ReturnType<typeof sendingDomains>;

const NEVER = { publishedAt: null, signsFrom: null, lostAt: null, retiredAt: null };

/** The domains that mail is sent as: their keys, kept encrypted and decrypted once, and the hosts of their return paths. */
export function sendingDomains(options: Options) {
  const { store, clock, master, sharedHost, isChecked } = options;
  /** Everything, as it is on the disk; read again after each change. */
  let known:
    | {
        readonly byName: ReadonlyMap<string, SendingDomain>;
        readonly hosts: ReadonlyMap<string, ReturnHostRow>;
        readonly linkHosts: ReadonlyMap<string, LinkHostRow>;
      }
    | undefined;
  const ready = new Map<string, SigningKey>();

  function all(): NonNullable<typeof known> {
    if (known !== undefined) return known;
    const keys = store.domains.keys();
    const hosts = new Map(store.domains.hosts().map((row) => [row.host, row]));
    const linkHosts = new Map(store.domains.linkHosts().map((row) => [row.host, row]));
    const byName = new Map(
      store.domains.all().map((row) => [
        row.name,
        {
          ...row,
          keys: keys.filter(({ domain }) => domain === row.name),
          host: hosts.get(row.returnHost),
          links: linkHosts.get(row.linkHost ?? ''),
        },
      ]),
    );
    return (known = { byName, hosts, linkHosts });
  }

  /** Within a transaction: what is written is known as soon as it is on the disk. */
  function changed(tx: Tx): void {
    tx.afterCommit(() => {
      known = undefined;
      ready.clear();
    });
  }

  /** The domain itself, or the nearest above it. */
  function above(name: string): SendingDomain | undefined {
    for (let at = name.toLowerCase(); at.includes('.'); at = at.slice(at.indexOf('.') + 1)) {
      const found = all().byName.get(at);
      if (found !== undefined) return found;
    }
    return undefined;
  }

  const links = linkHostsOf({ store, isChecked, above, known: () => all().linkHosts });

  return {
    changed,
    linkHostFor: links.hostFor,
    isLinkHost: links.isKnown,
    all: (): readonly SendingDomain[] => [...all().byName.values()],
    find: (name: string): SendingDomain | undefined => all().byName.get(name.toLowerCase()),
    above,

    /** Adds a domain with a key of each algorithm. One that is there stays as it is. @returns whether it is new */
    async add({ name, algorithms = BOTH, returnHost = `returns.${name}`, linkHost = null, policy = 'none' }: NewDomain): Promise<boolean> {
      if (all().byName.has(name)) return false;
      const keys = await newKeys(name, algorithms, new Set(), options);
      const now = clock.now();
      return store.write((tx) => {
        // Someone else may have added it at the same time: the first keys stay.
        if (store.domains.find(name, tx) !== undefined) return false;
        refuseTaken(tx, returnHost, name);
        store.domains.insert(tx, { name, returnHost, linkHost, policy, createdAt: now });
        links.set(tx, linkHost, name, now);
        for (const key of keys) store.domains.addKey(tx, key);
        setHost(tx, returnHost, name, now);
        changed(tx);
        return true;
      });
    },

    /** Changes the host of return paths, that of links, or the policy. */
    async change(name: string, { returnHost, linkHost, policy }: Pick<NewDomain, 'returnHost' | 'linkHost' | 'policy'>): Promise<void> {
      const now = clock.now();
      await store.write((tx) => {
        const before = store.domains.find(name, tx);
        if (before === undefined) return;
        if (returnHost !== undefined && returnHost !== before.returnHost) {
          refuseTaken(tx, returnHost, name);
          setHost(tx, returnHost, name, now);
        }
        if (linkHost !== undefined && linkHost !== before.linkHost) links.set(tx, linkHost, name, now);
        store.domains.change(tx, name, {
          ...(linkHost === undefined ? {} : { linkHost }),
          ...(returnHost === undefined ? {} : { returnHost }),
          ...(policy === undefined ? {} : { policy }),
        });
        changed(tx);
      });
    },

    /** Ends all pages that show a domain without a sign-in. */
    async endSharedPages(name: string): Promise<void> {
      await store.write((tx) => {
        store.domains.endSharedPages(tx, name);
        changed(tx);
      });
    },

    /** Makes new keys beside those that sign; they take over when they are published. */
    async rotate(name: string): Promise<void> {
      const domain = all().byName.get(name);
      if (domain === undefined) return;
      const inUse = domain.keys.filter(({ retiredAt }) => retiredAt === null);
      const rows = await newKeys(
        name,
        [...new Set(inUse.map(({ algorithm }) => algorithm))],
        new Set(domain.keys.map(({ selector }) => selector)),
        options,
      );
      await store.write((tx) => {
        const now = clock.now();
        const current = store.domains.keys(tx).filter((key) => key.domain === name && key.retiredAt === null);
        for (const row of rows) {
          const own = current.filter(({ algorithm }) => algorithm === row.algorithm);
          // One that is not published yet is new enough.
          if (own.some((key) => !isSigning(key, now) && key.lostAt === null)) continue;
          store.domains.addKey(tx, row);
        }
        if (!isChecked) retireReplaced(tx, name, now);
        changed(tx);
      });
    },

    /** Retires keys in whose place a newer one of the same algorithm signs; within a transaction. */
    retireReplaced,

    /** Removes a domain. `also` removes what higher features know of it, in the same transaction. What comes back to its return paths is still accepted for a while. */
    async remove(name: string, also: (tx: Tx) => void): Promise<void> {
      await store.write((tx) => {
        also(tx);
        store.domains.remove(tx, name);
        store.domains.retireHostsOf(tx, name, clock.now());
        changed(tx);
      });
    },

    /** The host of all domains without an own one that is live, as it is configured now. */
    async noteSharedHost(): Promise<void> {
      const row = store.domains.hosts().find(({ host }) => host === sharedHost);
      if (row?.domain === '' && row.retiredAt === null) return;
      const now = clock.now();
      await store.write((tx) => {
        store.domains.setHost(tx, { host: sharedHost, domain: '', liveFrom: now }, now);
        changed(tx);
      });
    },

    /** The keys for a sender's domain that sign now: its own, or those of a domain above it. */
    keysFor(name: string): readonly SigningKey[] {
      const now = clock.now();
      const signing = (above(name)?.keys ?? []).filter((row) => isSigning(row, now));
      return signing.filter((row) => !isReplaced(row, signing)).map(keyOf);
    },

    /** `none` where nobody has added the sender's domain or one above it. */
    signingOf(name: string): 'none' | 'waiting' | 'signing' {
      const domain = above(name);
      if (domain === undefined) return 'none';
      const inUse = domain.keys.filter(({ retiredAt }) => retiredAt === null);
      // Not every receiver knows Ed25519: where there is an RSA key, it counts.
      const counting = inUse.some(({ algorithm }) => algorithm === 'rsa-sha256')
        ? inUse.filter(({ algorithm }) => algorithm === 'rsa-sha256')
        : inUse;
      return counting.some((key) => isSigning(key, clock.now())) ? 'signing' : 'waiting';
    },

    /** The host of return paths for a sender's domain. */
    returnHostFor(name: string): string {
      const host = above(name)?.host;
      return host !== undefined && host.liveFrom !== null && host.retiredAt === null ? host.host : sharedHost;
    },

    /** Whether return paths of ours are, or recently were, at this host. */
    isReturnHost(host: string): boolean {
      const name = host.toLowerCase();
      if (name === sharedHost.toLowerCase()) return true;
      const row = all().hosts.get(name);
      return row !== undefined && (row.retiredAt === null || clock.now() < row.retiredAt + OLD_HOST_MS);
    },
  };

  function keyOf(row: SigningKeyRow): SigningKey {
    const name = nameOf(row);
    let key = ready.get(name);
    if (key === undefined) {
      key = {
        domain: row.domain,
        selector: row.selector,
        algorithm: row.algorithm,
        key: importKey(row.algorithm, decrypt(master, name, row.encrypted)),
      };
      ready.set(name, key);
    }
    return key;
  }

  function retireReplaced(tx: Tx, name: string, now: number): void {
    const current = store.domains.keys(tx).filter((key) => key.domain === name && key.retiredAt === null);
    for (const key of current) {
      const signing = current.filter((other) => isSigning(other, now));
      if (isReplaced(key, signing)) store.domains.retireKey(tx, key, now);
    }
    changed(tx);
  }

  function refuseTaken(tx: Tx, host: string, domain: string): void {
    const row = store.domains.hosts(tx).find((taken) => taken.host === host);
    if (row === undefined || row.domain === domain || row.domain === '' || row.retiredAt !== null) return;
    throw new Refusal(409, 'host-in-use', 'This host is used already', {
      detail: `The return paths of ${row.domain} are at ${host}.`,
      hint: 'Each domain needs its own host, such as returns.DOMAIN.',
    });
  }

  /** A domain may be the one that the configured host belongs to: that stays as it is. */
  function setHost(tx: Tx, host: string, domain: string, now: number): void {
    if (host === sharedHost) store.domains.retireHostsOf(tx, domain, now);
    else store.domains.setHost(tx, { host, domain, liveFrom: isChecked ? null : now }, now);
  }
}

const nameOf = ({ domain, selector }: Pick<SigningKeyRow, 'domain' | 'selector'>): string => `${selector}._domainkey.${domain}`;

/** New keys. Making one takes a while: not while others wait to write. */
async function newKeys(
  domain: string,
  algorithms: readonly KeyAlgorithm[],
  taken: ReadonlySet<string>,
  { clock, master, isChecked }: Pick<Options, 'clock' | 'master' | 'isChecked'>,
): Promise<SigningKeyRow[]> {
  const now = clock.now();
  const stamp = new Date(now).toISOString().slice(0, 10).replaceAll('-', '');
  const made = algorithms.map(async (algorithm) => {
    const plain = `v${stamp}${algorithm.charAt(0)}`;
    let selector = plain;
    for (let i = 2; taken.has(selector); i += 1) selector = `${plain}${i}`;
    const key = await makeKey(algorithm);
    return {
      ...NEVER,
      ...(isChecked ? {} : { publishedAt: now, signsFrom: now }),
      domain,
      selector,
      algorithm,
      encrypted: encrypt(master, nameOf({ domain, selector }), key.privateKey),
      record: recordOf(algorithm, importKey(algorithm, key.privateKey)),
      createdAt: now,
    };
  });
  return Promise.all(made);
}

/** Whether a newer key of the same algorithm signs, and is not missing. */
function isReplaced(key: SigningKeyRow, signing: readonly SigningKeyRow[]): boolean {
  return signing.some((other) => other.algorithm === key.algorithm && other.lostAt === null && isNewer(other, key));
}

function isNewer(a: SigningKeyRow, b: SigningKeyRow): boolean {
  return a.createdAt > b.createdAt || (a.createdAt === b.createdAt && a.selector > b.selector);
}
