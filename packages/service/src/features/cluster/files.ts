import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { decrypt, encrypt, inTime, writeWhole } from '../../kernel/index.js';
import type { Cluster } from './connection.js';

/** What a node keeps in small files beside its database, and others need as well. */
export interface SharedPlaces {
  /** Files of lines that are only added to: what each node has is put together. By their names at the brokers. */
  readonly ledgers: Readonly<Record<string, string>>;
  /** All files in them; one that a primary has removed is removed everywhere. */
  readonly folders: Readonly<Record<string, string>>;
}

export interface SharedFiles {
  /** Gives the brokers what has changed here. @throws where they do not take it: then it is not given to others */
  readonly push: () => Promise<void>;
  /** Writes here what the brokers have, and removes what they have no more. @throws where they do not answer */
  readonly pull: () => Promise<void>;
}

const hashOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('base64url');

/** The lines of both, each once. */
function together(a: Uint8Array, b: Uint8Array): Buffer {
  const lines = [a, b].flatMap((bytes) => Buffer.from(bytes).toString('utf8').split('\n')).filter((line) => line !== '');
  return Buffer.from(`${[...new Set(lines)].join('\n')}\n`);
}

/** Files of chance that writeWhole leaves where it does not come to its end. */
const isOurs = (name: string): boolean => /^[A-Za-z0-9][A-Za-z0-9._-]*$/.test(name) && !name.endsWith('.part');

/** How long brokers may take for a list, in milliseconds. */
const LIST_MS = 10_000;

/** What comes in time. @throws where it does not */
async function answered<T>(list: Promise<T>): Promise<T> {
  const found = await inTime(
    LIST_MS,
    list.then((value) => ({ value })),
  );
  if (found === undefined) throw new Error('The brokers do not list the files of the cluster.');
  return found.value;
}

/**
 * Shares small files through the brokers, encrypted, so that access to the brokers alone reveals nothing.
 * @param key that all nodes have
 */
export function sharedFiles({ files: store }: Pick<Cluster, 'files'>, { ledgers, folders }: SharedPlaces, key: Uint8Array): SharedFiles {
  /** What the brokers have as far as is known here, by name: the hash of the plain content. */
  const known = new Map<string, string>();
  let areKnown = false;

  function pathOf(name: string): string | undefined {
    const own = ledgers[name];
    if (own !== undefined) return own;
    const cut = name.indexOf('/');
    const folder = folders[name.slice(0, cut)];
    const file = name.slice(cut + 1);
    return cut > 0 && folder !== undefined && isOurs(file) ? join(folder, file) : undefined;
  }

  function here(): Map<string, string> {
    const found = new Map(Object.entries(ledgers).filter(([, path]) => existsSync(path)));
    for (const [name, folder] of Object.entries(folders))
      for (const file of existsSync(folder) ? readdirSync(folder).filter(isOurs) : []) found.set(`${name}/${file}`, join(folder, file));
    return found;
  }

  async function learn(): Promise<void> {
    known.clear();
    for (const { name, deleted, metadata } of await answered(store.list())) if (!deleted) known.set(name, metadata?.['hash'] ?? '');
    areKnown = true;
  }

  return {
    async push() {
      if (!areKnown) await learn();
      const own = here();
      for (const [name, path] of own) {
        const bytes = readFileSync(path);
        const hash = hashOf(bytes);
        if (known.get(name) === hash) continue;
        await store.putBlob({ name, metadata: { hash } }, encrypt(key, name, bytes.toString('base64')));
        known.set(name, hash);
      }
      for (const name of [...known.keys()])
        if (!own.has(name)) {
          await store.delete(name);
          known.delete(name);
        }
    },

    async pull() {
      await learn();
      const own = here();
      for (const [name, hash] of known) {
        const path = pathOf(name);
        if (path === undefined || (own.has(name) && hashOf(readFileSync(path)) === hash)) continue;
        const sealed = await store.getBlob(name);
        if (sealed === null) continue;
        mkdirSync(dirname(path), { recursive: true, mode: 0o700 });
        const bytes = Buffer.from(decrypt(key, name, Buffer.from(sealed)), 'base64');
        writeWhole(path, name in ledgers && own.has(name) ? together(readFileSync(path), bytes) : bytes);
      }
      for (const [name, path] of own) if (!known.has(name) && !(name in ledgers)) rmSync(path, { force: true });
      // What this node writes next is its own to give.
      areKnown = false;
    },
  };
}
