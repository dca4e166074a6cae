import { existsSync, renameSync, rmSync, statSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { addressKey } from '@verbalis/core/delivery';
import { pino, type Logger } from 'pino';
import { eraseAgain, erasuresAfter } from '../features/addresses/index.js';
import { reindexCaptured } from '../features/capture/index.js';
import { copyLedger, ledgerIn, rebuild } from '../features/copies/index.js';
import { missingMessages } from '../features/messages/index.js';
import {
  copyPrivately,
  lockFile,
  newId,
  readSecrets,
  StartError,
  startErrorOf,
  settleCopy,
  syncFile,
  SYSTEM_CLOCK,
  verifyCopy,
  type Clock,
  type Secrets,
} from '../kernel/index.js';
import { openStore, type Store } from '../records/index.js';
import type { ReadConfig } from '../settings/index.js';

/** Where a database is restored from. */
export type RestoreSource =
  | { readonly backup: string }
  | {
      /** A folder of continuous copies. */
      readonly folder: string;
      /** As it was at this date, in milliseconds since the epoch; the newest state when left out. */
      readonly at?: number | undefined;
    };

export interface RestoreOptions {
  readonly config: ReadConfig;
  readonly operatorSecret?: string | undefined;
  readonly source: RestoreSource;
  /** Another file than the database of the configuration. */
  readonly to?: string | undefined;
  /** A database that is there is moved aside. */
  readonly replace?: boolean;
  readonly clock?: Clock;
  readonly log?: Logger;
}

export interface Restored {
  readonly file: string;
  /** The snapshot or backup that it began with. */
  readonly from: string;
  /** What was committed by then is in it; what came later is not. */
  readonly asOf: number;
  /** Records of changes that were written on top. */
  readonly records: number;
  /** Where a database that was there is now. */
  readonly replaced: string | undefined;
  /** Messages of the replaced database that are not in this one; undefined where it could not be read. */
  readonly missing: number | undefined;
  /** Addresses that had been erased since, and were erased again. */
  readonly erased: number;
  /** Deliveries that are held, by space. */
  readonly held: Readonly<Record<string, number>>;
}

const INDEXED_AT_ONCE = 100;
/** What SQLite and the lock have beside a database. */
const BESIDE = ['-wal', '-shm', '.lock', '.owner'] as const;

interface Begun {
  readonly from: string;
  readonly asOf: number;
  readonly records: number;
  /** Captured emails whose rows were changed. */
  readonly captured: readonly number[];
  readonly ledger: string;
}

/** The service's secrets, which must be there: a copy cannot be read with others. @throws StartError */
function secretsFor(config: ReadConfig, operator: string | undefined, wanted: string | undefined): Secrets {
  const file = resolve(config.folder, config.settings.secretsFile);
  if (!existsSync(file))
    throw new StartError(
      `The secrets file ${file} is missing. The copy's signing keys and webhook secrets are encrypted with it: put it there first.`,
    );
  const secrets = readSecrets(file, operator, file);
  if (wanted !== undefined && wanted !== secrets.fingerprint)
    throw new StartError(
      `The copy was made with other secrets than those in ${file} (${wanted}, here ${secrets.fingerprint}). Use the secrets file that belongs to it.`,
    );
  return secrets;
}

function removePart(part: string): void {
  for (const end of ['', ...BESIDE]) rmSync(`${part}${end}`, { force: true });
}

/** The whole database of a backup. */
function fromBackup(file: string, part: string): Begun & { readonly secrets: string | undefined } {
  const manifest = verifyCopy(file);
  removePart(part);
  copyPrivately(file, part);
  return {
    from: file,
    asOf: Date.parse(manifest.asOf),
    records: 0,
    captured: [],
    ledger: ledgerIn(dirname(file)),
    secrets: manifest.secrets,
  };
}

/** A snapshot with the changes that followed it, until a date. */
function fromFolder(folder: string, at: number | undefined, part: string): Begun & { readonly secrets: string | undefined } {
  removePart(part);
  const { snapshot, asOf, records, captured } = rebuild({ folder, at, to: part });
  return { from: snapshot.file, asOf, records, captured, ledger: ledgerIn(folder), secrets: snapshot.manifest.secrets };
}

/** What a copy is put into order by: the index of words, erasures, and holds on all that waits. */
async function putInOrder(
  store: Store,
  begun: Begun,
  {
    config,
    secrets,
    clock,
    ledgerFile,
  }: { readonly config: ReadConfig; readonly secrets: Secrets; readonly clock: Clock; readonly ledgerFile: string },
): Promise<Pick<Restored, 'erased' | 'held'>> {
  const { captured, asOf } = begun;
  const now = clock.now();
  await store.write((tx) => store.deliveries.recover(tx, now));
  for (let at = 0; at < captured.length; at += INDEXED_AT_ONCE)
    await store.write((tx) => {
      reindexCaptured(store, tx, captured.slice(at, at + INDEXED_AT_ONCE));
    });
  const anyCase = config.settings.suppress.localParts === 'any-case';
  const erased = await eraseAgain({ store, clock, key: secrets.keyFor('erasure') }, erasuresAfter(ledgerFile, asOf), (address) =>
    addressKey(address, { anyCase }),
  );
  const held = await store.write((tx) => {
    const reason = `Restored from a copy of ${new Date(asOf).toISOString()}.`;
    return store.deliveries.spacesWaiting(tx).map((space): [string, number] => {
      const id = newId('h', now);
      store.holds.add(tx, { id, space, filter: {}, reason, createdAt: now, restoredAsOf: asOf, isReleased: false });
      return [space, store.deliveries.holdAll(tx, space, id)];
    });
  });
  return { erased, held: Object.fromEntries(held) };
}

function moveAside(file: string, now: number): string | undefined {
  if (!existsSync(file)) return undefined;
  const aside = `${file}.before-${new Date(now).toISOString().replaceAll(/[-:.]/g, '')}`;
  // The log beside it has what was committed last.
  for (const end of ['', '-wal', '-shm']) if (existsSync(`${file}${end}`)) renameSync(`${file}${end}`, `${aside}${end}`);
  return aside;
}

/**
 * Makes the database of a configuration from a copy. Everything is checked before it takes the place of what is there, which is moved aside and not
 * removed. What waited in the copy is held: it may have been sent since.
 * @throws StartError with what to do; then nothing was changed
 */
export async function restoreDatabase({
  config,
  operatorSecret,
  source,
  to,
  replace = false,
  clock = SYSTEM_CLOCK,
  log = pino({ level: 'silent' }),
}: RestoreOptions): Promise<Restored> {
  const target = resolve(to ?? resolve(config.folder, config.settings.databaseFile));
  if (!replace && existsSync(target) && statSync(target).size > 0)
    throw new StartError(`There is a database at ${target}.`, {
      hint: 'With --replace it is moved aside, under another name beside it; with --to another file is written.',
    });
  const lock = lockFile(target);
  const part = `${target}.restoring`;
  try {
    const begun = 'backup' in source ? fromBackup(resolve(source.backup), part) : fromFolder(resolve(source.folder), source.at, part);
    const secrets = secretsFor(config, operatorSecret, begun.secrets);
    const ledgerFile = `${target}.erasures`;
    copyLedger(begun.ledger, ledgerFile);
    const store = await openStore(part, { log, clock, secrets: secrets.fingerprint });
    let order: Pick<Restored, 'erased' | 'held'>;
    try {
      order = await putInOrder(store, begun, { config, secrets, clock, ledgerFile });
    } finally {
      await store.close();
    }
    settleCopy(part);
    const replaced = moveAside(target, clock.now());
    renameSync(part, target);
    syncFile(dirname(target));
    const missing = replaced === undefined ? undefined : missingMessages(target, replaced);
    return { file: target, from: begun.from, asOf: begun.asOf, records: begun.records, replaced, missing, ...order };
  } catch (error) {
    rmSync(part, { force: true });
    throw startErrorOf(error, part);
  } finally {
    for (const end of BESIDE) rmSync(`${part}${end}`, { force: true });
    lock.release();
  }
}
