import { createHmac } from 'node:crypto';
import type { HitToken } from '@verbalis/core/engagement';
import ipaddr from 'ipaddr.js';
import { newId } from '../../kernel/ids.js';
import type { Journal, JournalEntry } from './journal.js';
import { boundedCache } from '../../kernel/index.js';

/** Hits on one email within a minute that are noted: more say nothing more, and could fill a disk. */
const MOST_A_MINUTE = 100;
const LONGEST_AGENT = 300;
const LONGEST_PURPOSE = 60;
/** Addresses whose networks are known by name. */
const MOST_NETWORKS = 10_000;
const MINUTE = 60_000;

/** What a request says of who asks. */
export interface Asked {
  readonly method: string;
  readonly agent: string;
  readonly purpose: string;
  /** The address that it comes from. */
  readonly ip: string;
}

/** Notes a hit; resolves when a crash does not lose it any more. Never throws. */
export type Note = (token: HitToken, asked: Asked) => Promise<void>;

interface Options {
  /** Signs the addresses in emails. */
  readonly secret: Uint8Array;
  /** Milliseconds since the epoch. */
  readonly now: () => number;
  readonly append: Journal['append'];
  /** A hit could not be noted. */
  readonly lost: (error: unknown) => void;
}

/** What an email is known by while its hits are judged. */
export const mailOf = ({ of }: Pick<JournalEntry, 'of'>): string =>
  of.mode === 'individual' ? of.deliveryId : `${of.space}/${of.template}/${of.sentMinute}/${of.group}`;

/** The network that an address is in: its neighbours are the same reader to us. */
function networkOf(ip: string): string {
  if (!ipaddr.isValid(ip)) return ip;
  const address = ipaddr.process(ip);
  return address instanceof ipaddr.IPv6 ? address.parts.slice(0, 3).join(':') : address.octets.slice(0, 3).join('.');
}

/** Takes hits in. Uses no database, and may run in a thread. */
export function hitNotes({ secret, now, append, lost }: Options): Note {
  const networks = boundedCache<string, string>(MOST_NETWORKS);
  /** Distinguishes the network of an address from others, and reveals nothing else. */
  function nameOfNetwork(ip: string): string {
    let name = networks.get(ip);
    if (name === undefined) {
      name = createHmac('sha256', secret)
        .update(`network\0${networkOf(ip)}`)
        .digest('hex')
        .slice(0, 8);
      networks.set(ip, name);
    }
    return name;
  }

  /** Hits by email in this minute. */
  let minute = 0;
  let counted = new Map<string, number>();
  /** Whether there is room for one more hit on an email in this minute. */
  function hasRoom(mail: string, at: number): boolean {
    const current = Math.floor(at / MINUTE);
    if (current !== minute) {
      minute = current;
      counted = new Map();
    }
    const n = (counted.get(mail) ?? 0) + 1;
    counted.set(mail, n);
    return n <= MOST_A_MINUTE;
  }

  return async ({ of, index, links, label, block, url }, { method, agent, purpose, ip }) => {
    const at = now();
    if (!hasRoom(mailOf({ of }), at)) return;
    const entry = {
      id: newId('t', at),
      at,
      of,
      index,
      links,
      label,
      block,
      // An address may name a person, where nothing else does.
      url: of.mode === 'counts' ? '' : url,
      method,
      agent: agent.slice(0, LONGEST_AGENT),
      purpose: purpose.slice(0, LONGEST_PURPOSE),
      from: nameOfNetwork(ip),
    };
    try {
      await append(entry);
    } catch (error) {
      lost(error);
    }
  };
}
