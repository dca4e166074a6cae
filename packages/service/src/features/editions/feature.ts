import { resolve } from 'node:path';
import type { MailFiles } from '@verbalis/core/folder';
import { serve, type Feature, type Runtime, type Tx } from '../../kernel/index.js';
import { readMailFolder } from '../mail-folder/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import { editionEndpoints } from './endpoints.js';
import type { Editions } from './loaded.js';
import { folderHash } from './queries.js';
import { editionRetention } from './retention.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly spaces: SpaceSettings;
  readonly editions: Editions;
  /** Whether something that is kept was made with an edition. */
  readonly isNeeded: (tx: Tx, space: string, number: number) => boolean;
  /** Where a folder cannot be published, the edition that is in use stays. */
  readonly keepEditions: boolean;
  /** Another service publishes folders. */
  readonly isStandby: boolean;
}

/** Publications of mail folders, and how those of a configuration are published. */
interface OpenedEditions {
  /** Publishes what has changed in the folders of spaces. @param folder where relative paths start @throws Refusal, StartError */
  readonly publishFolders: (spaces: SpaceSettings, folder: string) => Promise<void>;
  readonly feature: Feature;
}

/** Publications of mail folders. Folders that the configuration names are published now. @throws Refusal, StartError */
export async function openEditions(
  runtime: Runtime,
  { store, spaces, editions, isNeeded, keepEditions, isStandby }: Options,
): Promise<OpenedEditions> {
  const { clock, log, within, ages } = runtime;

  /** Publishes a folder unless it is as it was at the last start: an edition that was chosen since stays in use. */
  async function publishChanged(space: string, files: MailFiles): Promise<void> {
    const hash = folderHash(files);
    if (store.editions.publishedFolder(space) === hash) {
      // It is compiled now, so that the first message need not wait.
      await editions.current(space);
      return;
    }
    await editions.publish(space, files, clock.now());
    await store.write((tx) => {
      store.editions.folderPublished(tx, space, hash);
    });
  }

  for (const [name, { mailFolder, mode }] of Object.entries(spaces)) {
    // Without a folder, a space has what is published to it.
    if (mailFolder !== undefined && !isStandby) {
      try {
        await publishChanged(name, await readMailFolder(within(mailFolder)));
      } catch (error) {
        if (!keepEditions || store.editions.current(name) === undefined) throw error;
        log.error({ err: error, space: name }, 'the mail folder cannot be published; the edition in use stays');
      }
    }
    const row = store.editions.current(name);
    log.info({ space: name, mode, edition: row?.number }, 'space ready');
  }
  const feature: Feature = {
    name: 'editions',
    endpoints: serve(editionEndpoints, { store, editions, clock }),
    retention: editionRetention(store, ages, isNeeded),
    remembers: ['editions_in_use'],
    memory: () => ({ editions: Object.fromEntries(Object.keys(spaces).map((name) => [name, editions.loaded(name)?.number])) }),
  };
  const publishFolders: OpenedEditions['publishFolders'] = async (wanted, folder) => {
    for (const [name, { mailFolder }] of Object.entries(wanted))
      if (mailFolder !== undefined) await publishChanged(name, await readMailFolder(resolve(folder, mailFolder)));
  };
  return { publishFolders, feature };
}
