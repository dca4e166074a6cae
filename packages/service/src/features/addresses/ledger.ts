import { appendFileSync, existsSync, readFileSync } from 'node:fs';
import * as z from 'zod';
import { hiddenKey } from '../suppressions/index.js';

const Line = z.strictObject({
  at: z.iso.datetime(),
  space: z.string(),
  /** A keyed hash: only this service can make it of an address. */
  address: z.string(),
  /** The erasure that began at this date has ended. */
  done: z.literal(true).optional(),
});
type Line = z.infer<typeof Line>;

/** What was erased, beside the database: a copy that is restored is made to forget it, too. */
export interface Ledger {
  /** On the disk before anything is erased. */
  readonly begun: (space: string, key: string) => void;
  readonly done: (space: string, key: string) => void;
}

/** @param key for the hash of an address */
export function ledgerOn(file: string, key: Uint8Array, now: () => number): Ledger {
  const write = (space: string, address: string, more: Pick<Line, 'done'>): void => {
    const line: Line = { at: new Date(now()).toISOString(), space, address: hiddenKey(key, address), ...more };
    appendFileSync(file, `${JSON.stringify(line)}\n`, { mode: 0o600, flush: true });
  };
  return {
    begun: (space, address) => {
      write(space, address, {});
    },
    done: (space, address) => {
      write(space, address, { done: true });
    },
  };
}

/** Hashes of addresses, by space. */
export type Erasures = ReadonlyMap<string, ReadonlySet<string>>;

/**
 * What a copy may still have: erasures that ended after its date, or that never ended. A line that cannot be read is skipped, since the last one
 * may have been cut.
 */
export function erasuresAfter(file: string, asOf: number): Erasures {
  const ended = new Map<string, Map<string, boolean>>();
  for (const text of existsSync(file) ? readFileSync(file, 'utf8').split('\n') : []) {
    const line = lineOf(text);
    if (line === undefined) continue;
    const own = ended.get(line.space) ?? new Map<string, boolean>();
    ended.set(line.space, own);
    // One that was started again is open; one that ended before the copy is in the copy.
    own.set(line.address, line.done === true && Date.parse(line.at) < asOf);
  }
  return new Map(
    [...ended].flatMap(([space, own]) => {
      const open = [...own].flatMap(([address, isInCopy]) => (isInCopy ? [] : [address]));
      return open.length === 0 ? [] : [[space, new Set(open)]];
    }),
  );
}

function lineOf(text: string): Line | undefined {
  try {
    return Line.parse(JSON.parse(text));
  } catch {
    return undefined;
  }
}
